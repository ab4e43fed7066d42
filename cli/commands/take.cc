// SPDX-License-Identifier: MIT
// Writes parts out as files. Names come from strangers, so none leads out of the folder or is one that a system
// refuses.
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <set>

#include "commands/common.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"

namespace hotstitch::cli {

namespace fs = std::filesystem;

namespace {

/// A name that every system takes: the parts of a path one by one.
std::string safe_component(std::string name) {
    for (char& c : name)
        if (static_cast<unsigned char>(c) < 0x20 || c == 0x7F ||
            std::string_view("\\:*?\"<>|").find(c) != std::string_view::npos)
            c = '_';
    while (!name.empty() && (name.back() == '.' || name.back() == ' ')) name.back() = '_';
    constexpr std::string_view devices[] = {"con", "prn", "aux", "nul"};
    std::string stem = name.substr(0, name.find('.'));
    std::transform(stem.begin(), stem.end(), stem.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    const bool is_port = stem.size() == 4 && (stem.starts_with("com") || stem.starts_with("lpt")) &&
                         std::isdigit(static_cast<unsigned char>(stem[3])) != 0;
    if (is_port || std::find(std::begin(devices), std::end(devices), stem) != std::end(devices))
        name.insert(name.begin(), '_');
    return name;
}

fs::path safe_path(std::string_view name) {
    fs::path path;
    while (!name.empty()) {
        const std::size_t end = std::min(name.find('/'), name.size());
        if (end != 0) path /= safe_component(std::string(name.substr(0, end)));
        name.remove_prefix(std::min(end + 1, name.size()));
    }
    return path.empty() ? fs::path("content") : path;
}

class Taking {
public:
    Taking(const TakeArguments& arguments, const Context& context, Report& report)
        : arguments_(arguments), context_(context), report_(report) {}

    void run() {
        const bool to_stdout = arguments_.output.path == "-";
        if (to_stdout && (arguments_.addresses.size() != 1 || is_tree(arguments_.addresses.front())))
            throw Error(ErrorCode::usage, "only one part can go to standard output");
        for (const std::string& address : arguments_.addresses) take(address);
        report_.detail("taken", taken_);
        if (!renamed_.empty())
            report_.warn(
                fmt::format("{} written under another name, because the name is the same as another but "
                            "for case, or is not allowed on all systems: {}",
                            counted(renamed_.size(), "part was", "parts were"), list_of_renamed()));
        if (encrypted_ != 0)
            report_.warn(fmt::format("{} encrypted and not taken; unpack {} with the password first",
                                     counted(encrypted_, "part is", "parts are"), encrypted_ == 1 ? "it" : "them"));
        report_.conclude(Mood::good, "taken",
                         fmt::format("Took {}, {}.", counted(taken_.size(), "part", "parts"), size_text(bytes_)),
                         ExitCode::yes);
    }

private:
    static bool is_tree(const std::string& address) { return address.ends_with('/') || address.ends_with(':'); }

    void take(const std::string& address) {
        const auto [file_name, part] = split_file(address);
        if (part.empty() && !address.ends_with(':'))
            throw Error(ErrorCode::usage, fmt::format("{} names no part", address))
                .hint(fmt::format("see what there is: hotstitch parts {}", shell_file(address)));
        // All names but the last one are opened; the last one is what is taken.
        const std::size_t last = last_name(address);
        const InputFile file = open_file(address.substr(0, last - 1), context_);
        const std::string name = address.substr(last);
        const auto container = open_container(file, context_.limits, context_.progress);
        if (!container)
            throw Error(ErrorCode::unsupported, fmt::format("{} has no parts that are known", file.path().string()))
                .hint("archives, compressed files and cartridge ROMs have parts; describe tells more of this file");
        if (is_tree(address)) return take_tree(file, *container, name);
        const Part found = find_part(*container, split_address(name).front());
        if (arguments_.output.path == "-") {
            ScratchFile scratch;
            extract_part(*container, found.name, scratch);
            scratch.copy_to(STDOUT_FILENO, context_.progress);
            return note(found, "-", scratch.written()->size());
        }
        const fs::path own = found.name == "content" ? file.path().stem() : safe_path(found.name).filename();
        container->visit([&](const Part& p, const ExtractPart& extract) {
            if (p.name != found.name) return Flow::go_on;
            write(p, output_path(arguments_.output.path, file.path().parent_path() / own), file, extract);
            return Flow::stop;
        });
    }

    /// Where the last name of an address begins: behind its last colon that is none of a name.
    static std::size_t last_name(const std::string& address) {
        for (std::size_t at = address.size(); at-- > 0;)
            if (address[at] == ':' && (at == 0 || address[at - 1] != '\\')) return at + 1;
        return 0;
    }

    void take_tree(const InputFile& file, const Container& container, const std::string& prefix) {
        fs::path folder = arguments_.output.path;
        if (folder.empty()) folder = file.path().parent_path() / file.path().stem();
        bool any = false;
        container.visit([&](const Part& part, const ExtractPart& extract) {
            if (!part.name.starts_with(prefix)) return Flow::go_on;
            any = true;
            if (part.encrypted) return ++encrypted_, Flow::go_on;
            write(part, unique(folder, safe_path(std::string_view(part.name).substr(prefix.size())), part.name), file,
                  extract);
            return Flow::go_on;
        });
        if (!any)
            throw Error(ErrorCode::usage, fmt::format("there is nothing below {} in {}", prefix, container.title()))
                .hint(fmt::format("see what there is: hotstitch parts {}", shell_file(file.path().string())));
    }

    /// No two files that a system without upper and lower case takes for one.
    fs::path unique(const fs::path& folder, fs::path path, const std::string& name) {
        const auto key = [](const fs::path& p) {
            std::string text = p.string();
            std::transform(text.begin(), text.end(), text.begin(),
                           [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
            return text;
        };
        const fs::path first = path;
        for (int number = 2; !seen_.insert(key(path)).second; ++number)
            path = first.parent_path() /
                   fmt::format("{} ({}){}", first.stem().string(), number, first.extension().string());
        if (path.generic_string() != name && !name.ends_with(path.generic_string()))
            renamed_.emplace_back(name, path.generic_string());
        return folder / path;
    }

    void write(const Part& part, const fs::path& path, const InputFile& file, const ExtractPart& extract) {
        refuse_inputs(path, {&file}, "name another output: this is the file that the part lies in");
        OutputFile out(path, {.replace = replace_mode(arguments_.output)});
        extract(out);
        const std::uint64_t size = out.written()->size();
        out.commit(context_.progress);
        note(part, out.path(), size);
    }

    void note(const Part& part, const fs::path& path, std::uint64_t size) {
        bytes_ += size;
        taken_.push_back({{"name", as_utf8(part.name)}, {"path", as_utf8(path.string())}, {"size", size}});
        constexpr std::size_t most_shown = 12;
        if (taken_.size() <= most_shown)
            report_.fact("taken", "taken", fmt::format("{}  {}", shown(path), size_text(size)), taken_);
    }

    std::string list_of_renamed() const {
        std::string list;
        for (std::size_t i = 0; i < std::min<std::size_t>(renamed_.size(), 5); ++i)
            list +=
                fmt::format("{}{} as {}", i == 0 ? "" : ", ", escaped(renamed_[i].first), escaped(renamed_[i].second));
        return renamed_.size() > 5 ? list + ", …" : list;
    }

    const TakeArguments& arguments_;
    const Context& context_;
    Report& report_;
    Json taken_ = Json::array();
    std::uint64_t bytes_ = 0, encrypted_ = 0;
    std::set<std::string> seen_;
    std::vector<std::pair<std::string, std::string>> renamed_;
};

}  // namespace

void run(const TakeArguments& arguments, const Context& context, Report& report) {
    Taking(arguments, context, report).run();
}

}  // namespace hotstitch::cli
