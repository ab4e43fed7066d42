// SPDX-License-Identifier: MIT
// Tested by tests/part/part_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <map>
#include <set>

#include "hotstitch/delivery.h"
#include "hotstitch/error.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/text.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

fs::path safe_path(std::string_view name) {
    fs::path path;
    while (!name.empty()) {
        const std::size_t end = std::min(name.find('/'), name.size());
        std::string one = safe_name(std::string(name.substr(0, end)));
        if (is_own_name(one)) one += '_';  // no member passes for a record of ours
        if (end != 0) path /= one;
        name.remove_prefix(std::min(end + 1, name.size()));
    }
    return path.empty() ? fs::path("content") : path;
}

Address part_named(const std::string& text) {
    Address address = address_of(text);
    if (!address.names_part())
        throw Error(ErrorCode::usage, fmt::format("{} names no part", text))
            .in("address")
            .hint("list the parts of the file to see what there is");
    return address;
}

SharedSource stored_of(const Container& container, const Part& part) {
    if (SharedSource stored = container.stored(part)) return stored;
    throw Error(ErrorCode::unsupported,
                fmt::format("{} is stored as it is, or in pieces: there is no other form to take", part.name))
        .in("stored form");
}

class Taking {
public:
    Taking(const TakeRequest& request, const WorkOptions& options)
        : request_(request), options_(options), tree_(request.replace) {}

    TakeResult run() {
        for (const std::string& address : request_.addresses) take(address);
        tree_.commit();
        return std::move(result_);
    }

private:
    void take(const std::string& text) {
        const Address address = part_named(text);
        const OpenedParts opened = open_parts(address.outer(), options_);
        if (address.names_all()) return take_tree(opened, address.parts.back());
        const Part found = find_part(*opened.container, address.parts.back());
        if (found.kind == PartKind::link)
            throw Error(ErrorCode::unsupported, fmt::format("{} is a link, which has no content", found.name))
                .in("part")
                .hint("name the file that it leads to");
        const bool is_copy = opened.file && opened.file->is_computed();
        const fs::path own = found.name != "content" ? safe_path(found.name).filename()
                             : is_copy               ? opened.path.filename()
                                                     : opened.path.stem();
        opened.container->visit([&](const Part& p, const ExtractPart& extract) {
            if (p.name != found.name) return Flow::go_on;
            const fs::path path = output_path(request_.output, opened.path.parent_path() / own);
            write(p, path.parent_path(), path.filename(), opened, extract);
            return Flow::stop;
        });
    }

    void take_tree(const OpenedParts& opened, const std::string& prefix) {
        fs::path folder = request_.output;
        if (folder.empty()) folder = opened.path.parent_path() / opened.path.stem();
        bool any = false;
        const Container& container = *opened.container;
        const bool files_only = has_files(container);
        const auto each = [&](const Part& part, const ExtractPart& extract) {
            if (!part.name.starts_with(prefix)) return Flow::go_on;
            if (part.kind == PartKind::link) return result_.links.push_back(part.name), Flow::go_on;
            if (files_only && part.kind != PartKind::file) return Flow::go_on;
            any = true;
            if (part.encrypted) return result_.encrypted.push_back(part.name), Flow::go_on;
            write_or_tell(part, folder, unique(safe_path(std::string_view(part.name).substr(prefix.size())), part.name),
                          opened, extract);
            return Flow::go_on;
        };
        try {
            container.visit(each);
        } catch (const Error& error) {  // what follows something damaged cannot always be reached
            if (error.code() != ErrorCode::damaged || result_.damaged.empty()) throw;
            result_.damaged.emplace_back("what follows", error.what());
        }
        if (!any)
            throw Error(ErrorCode::usage, fmt::format("there is nothing below {} in {}", prefix, container.title()))
                .in("address")
                .hint("list the parts of the file to see what there is");
    }

    /// No two files that a system without upper and lower case takes for one.
    fs::path unique(fs::path path, const std::string& name) {
        const auto key = [](const fs::path& p) {
            std::string text = p.string();
            std::transform(text.begin(), text.end(), text.begin(),
                           [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
            return text;
        };
        const fs::path first = path;
        for (int& number = numbers_[key(first)]; !seen_.insert(key(path)).second;)
            path = first.parent_path() /
                   fmt::format("{} ({}){}", first.stem().string(), ++number + 1, first.extension().string());
        if (path.generic_string() != name && !name.ends_with(path.generic_string()))
            result_.renamed.emplace_back(name, path.generic_string());
        return path;
    }

    /// Of a disc, what is not a file of it (its tracks, its boot area) is taken by name only.
    static bool has_files(const Container& container) {
        bool any = false;
        container.visit([&](const Part& part, const ExtractPart&) {
            any = part.kind == PartKind::file;
            return any ? Flow::stop : Flow::go_on;
        });
        return any;
    }

    void write(const Part& part, const fs::path& folder, const fs::path& name, const OpenedParts& opened,
               const ExtractPart& extract) {
        const fs::path path = folder / name;
        if (opened.file)
            refuse_inputs(path, {opened.file.get()}, "name another output: this is the file that the part lies in");
        refuse_inputs(path, options_.read);
        std::uint64_t size = 0;
        const fs::path place = tree_.add(folder, name, [&](ByteSink& out) {
            if (request_.stored)
                write_source(*stored_of(*opened.container, part), out);
            else
                extract(out);
            size = out.written_size();
        });
        if (part.storage == PartStorage::form_2 && !request_.stored) ++result_.in_form2;
        result_.taken.push_back({part.name, place, size});
    }

    /// Of many, one that is damaged does not keep the others.
    void write_or_tell(const Part& part, const fs::path& folder, const fs::path& name, const OpenedParts& opened,
                       const ExtractPart& extract) {
        try {
            write(part, folder, name, opened, extract);
        } catch (const Error& error) {
            if (error.code() != ErrorCode::damaged && error.code() != ErrorCode::truncated) throw;
            result_.damaged.emplace_back(part.name, error.what());
        }
    }

    const TakeRequest& request_;
    const WorkOptions& options_;
    OutputTree tree_;
    TakeResult result_;
    std::set<std::string> seen_;
    std::map<std::string, int> numbers_;  ///< given to those of one name so far
};

}  // namespace

TakeResult take_parts(const TakeRequest& request, const WorkOptions& options) {
    return Taking(request, options).run();
}

Part take_part(const std::string& text, ByteSink& out, const WorkOptions& options, bool stored) {
    const Address address = part_named(text);
    const OpenedParts opened = open_parts(address.outer(), options);
    const std::string& name = address.parts.back();
    Part part;
    if (stored) {
        part = find_part(*opened.container, name);
        write_source(*stored_of(*opened.container, part), out);
    } else {
        part = extract_part(*opened.container, name, out);
    }
    if (opened.file) opened.file->check_intact();
    return part;
}

}  // namespace hotstitch
