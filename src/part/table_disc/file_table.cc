// SPDX-License-Identifier: MIT
// Tested by tests/part/table_disc_test.cc.
#include "part/table_disc/file_table.h"

#include <fmt/format.h>
#include <iconv.h>

#include <algorithm>

#include "base/letters.h"
#include "base/numbers.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"

namespace hotstitch::table_disc {
namespace {

constexpr std::size_t most_depth = 32, longest_name = 255;
constexpr std::uint64_t most_path_bytes = 64 << 20;

bool is_ascii(std::string_view text) {
    return std::all_of(text.begin(), text.end(), [](char c) { return static_cast<unsigned char>(c) < 0x80; });
}

/// In another character set; empty: it is not in the first one.
std::string converted(std::string_view text, const char* from, const char* to) {
    iconv_t converter = ::iconv_open(to, from);
    if (converter == reinterpret_cast<iconv_t>(-1)) return {};
    std::string in(text), out(4 * text.size() + 4, '\0');
    char *in_at = in.data(), *out_at = out.data();
    std::size_t in_left = in.size(), out_left = out.size();
    const bool done = ::iconv(converter, &in_at, &in_left, &out_at, &out_left) != static_cast<std::size_t>(-1);
    ::iconv_close(converter);
    out.resize(done ? out.size() - out_left : 0);
    return out;
}

/// Shift-JIS where it is that, else Latin letters.
std::string shown_name(std::string_view name) {
    std::string text(name);
    if (!is_ascii(name)) {
        text = converted(name, "SHIFT_JIS", "UTF-8");
        if (text.empty()) text = converted(name, "WINDOWS-1252", "UTF-8");
        if (text.empty()) text = name;
    }
    std::replace(text.begin(), text.end(), '/', '_');
    return text;
}

class Parser {
public:
    Parser(ByteView table, unsigned shift) : table_(table), shift_(shift) {}

    FileTable run() {
        if (table_.size() < entry_size) broken("it has no room for its root", 0, "size");
        const std::uint64_t count = u32be(table_, 8);
        if (u8(table_, 0) != 1 || count == 0) broken("its first entry is no root folder", 0, "root");
        if (count > table_.size() / entry_size) broken("it states more entries than it has room for", 8, "entries");
        names_ = count * entry_size;
        result_.entries.push_back({.path = {}, .name = {}, .folder = true, .end = static_cast<std::size_t>(count)});
        folders_.push_back(0);
        for (std::size_t i = 1; i < count; ++i) read_entry(i);
        return std::move(result_);
    }

private:
    [[noreturn]] void broken(const char* what, std::uint64_t at, std::string_view field) const {
        throw Error(ErrorCode::damaged, fmt::format("the table of files is broken: {}", what))
            .at(at)
            .in(std::string(field));
    }

    void warn(std::size_t index, std::string_view what) {
        constexpr std::size_t most = 8;
        if (result_.warnings.size() < most)
            result_.warnings.push_back(fmt::format("entry {} of the table of files {}", index, what));
    }

    std::string name_at(std::size_t index, std::uint64_t place) {
        if (names_ + place >= table_.size()) return warn(index, "has its name outside the table"), std::string();
        const std::string_view rest = text_of(table_.subspan(static_cast<std::size_t>(names_ + place)));
        const std::string_view name = rest.substr(0, std::min(rest.find('\0'), longest_name + 1));
        if (name.size() > longest_name || name.size() == rest.size()) {
            warn(index, "has a name without an end");
            return std::string(name.substr(0, longest_name));
        }
        return std::string(name);
    }

    void read_entry(std::size_t index) {
        const std::size_t at = index * entry_size;
        std::vector<Entry>& all = result_.entries;
        while (folders_.size() > 1 && all[folders_.back()].end <= index) folders_.pop_back();
        const std::size_t folder = folders_.back();
        Entry entry{.path = {}, .name = name_at(index, u32be(table_, at) & 0xFFFFFF)};
        std::string own = shown_name(entry.name);
        if (own.empty() || own == "." || own == "..") {
            warn(index, "has no name of its own");
            own = fmt::format("entry {}", index);
        }
        entry.path = all[folder].path.empty() ? own : all[folder].path + "/" + own;
        path_bytes_ += entry.path.size();
        if (path_bytes_ > most_path_bytes)
            throw Error(ErrorCode::limit, "the table of files has more path names than any disc")
                .wanted(fmt::format("at most {}", counted(most_path_bytes, "byte", "bytes")));
        entry.folder = u8(table_, at) != 0;
        if (entry.folder) {
            entry.parent = folder;
            entry.end = u32be(table_, at + 8);
            if (u32be(table_, at + 4) != folder) warn(index, "names another folder than the one it lies in");
            if (entry.end <= index || entry.end > all[folder].end) {
                warn(index, "is a folder that ends outside the one it lies in");
                entry.end = std::clamp(entry.end, index + 1, all[folder].end);
            }
            if (folders_.size() > most_depth)
                warn(index, "is a folder deeper than any disc has");
            else
                folders_.push_back(index);
        } else {
            entry.offset = std::uint64_t{u32be(table_, at + 4)} << shift_;
            entry.size = u32be(table_, at + 8);
        }
        entry.id = index;
        all.push_back(std::move(entry));
    }

    const ByteView table_;
    const unsigned shift_;
    std::uint64_t names_ = 0, path_bytes_ = 0;
    std::vector<std::size_t> folders_;  ///< that the entry lies in
    FileTable result_;
};

void put_be(Bytes& bytes, std::uint32_t value) {
    for (const unsigned shift : {24U, 16U, 8U, 0U}) bytes.push_back(static_cast<std::byte>(value >> shift));
}

/// The folder's member of this name; 0: there is none.
std::size_t member(const std::vector<Entry>& entries, std::size_t folder, const std::string& path) {
    for (std::size_t i = folder + 1; i < entries[folder].end; i = entries[i].folder ? entries[i].end : i + 1)
        if (lower(entries[i].path) == lower(path)) return i;
    return 0;
}

std::size_t insert_entry(std::vector<Entry>& entries, std::size_t folder, Entry entry) {
    std::size_t place = folder + 1;
    while (place < entries[folder].end && lower(entries[place].path) < lower(entry.path))
        place = entries[place].folder ? entries[place].end : place + 1;
    for (std::size_t i = 0; i < entries.size(); ++i) {
        if (!entries[i].folder) continue;
        const bool around = i < place && (i == folder || (entries[i].end > folder && i < folder));
        if (around || i >= place) ++entries[i].end;
        if (i >= place && entries[i].parent >= place) ++entries[i].parent;
    }
    entry.parent = folder;
    entry.end = place + 1;
    entries.insert(entries.begin() + static_cast<std::ptrdiff_t>(place), std::move(entry));
    return place;
}

std::string stored_name(std::string_view name) {
    std::string stored(name);
    if (!is_ascii(name)) stored = converted(name, "UTF-8", "SHIFT_JIS");
    if (stored.empty() && !name.empty()) stored = converted(name, "UTF-8", "WINDOWS-1252");
    if (stored.empty() || stored.size() > longest_name || name == "." || name == "..")
        throw Error(ErrorCode::usage, "a name that the table of files cannot hold")
            .in("part")
            .wanted("1 to 255 characters of Shift-JIS or Latin letters")
            .found(std::string(name));
    return stored;
}

}  // namespace

FileTable parse_table(ByteView table, unsigned shift) {
    return Parser(table, shift).run();
}

Bytes build_table(const std::vector<Entry>& entries, unsigned shift) {
    Bytes table;
    std::string names;
    for (std::size_t i = 0; i < entries.size(); ++i) {
        const Entry& e = entries[i];
        put_be(table, (e.folder ? 0x1000000U : 0) | (i == 0 ? 0 : static_cast<std::uint32_t>(names.size())));
        put_be(table, static_cast<std::uint32_t>(e.folder ? e.parent : e.offset >> shift));
        put_be(table, static_cast<std::uint32_t>(e.folder ? e.end : e.size));
        if (i != 0) names.append(e.name).push_back('\0');
    }
    if (names.size() > 0xFFFFFF)
        throw Error(ErrorCode::limit, "the table of files has no room for so many names").in("part");
    const ByteView text = bytes_of(names);
    table.insert(table.end(), text.begin(), text.end());
    return table;
}

std::size_t insert_file(std::vector<Entry>& entries, std::string_view path) {
    std::size_t folder = 0;
    std::string so_far;
    while (true) {
        const std::size_t slash = path.find('/');
        const std::string name(path.substr(0, slash));
        const std::string stored = stored_name(name);
        so_far += (so_far.empty() ? "" : "/") + name;
        const std::size_t there = member(entries, folder, so_far);
        const bool last = slash == std::string_view::npos;
        if (there != 0 && (last || !entries[there].folder))
            throw Error(ErrorCode::usage, fmt::format("{} is there already", so_far)).in("part").found(so_far);
        if (there != 0) so_far = entries[there].path;  // as it is spelt there
        if (last) return insert_entry(entries, folder, {.path = so_far, .name = stored});
        folder = there != 0 ? there : insert_entry(entries, folder, {.path = so_far, .name = stored, .folder = true});
        path.remove_prefix(slash + 1);
    }
}

void erase_file(std::vector<Entry>& entries, std::size_t index) {
    for (Entry& entry : entries) {
        if (!entry.folder) continue;
        if (entry.end > index) --entry.end;
        if (entry.parent > index) --entry.parent;
    }
    entries.erase(entries.begin() + static_cast<std::ptrdiff_t>(index));
}

}  // namespace hotstitch::table_disc
