// SPDX-License-Identifier: MIT
// A disc laid out anew from loose files. What the files in "sys/" are is told by what they hold, as their names differ:
// the header has its magic number, its second half may be a file of its own, the loader begins with a date, the program
// is a `.dol`, and an old table of files gives the order. Tested by tests/part/table_disc_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/letters.h"
#include "base/numbers.h"
#include "hotstitch/disc.h"
#include "hotstitch/error.h"
#include "hotstitch/text.h"
#include "part/table_disc/game_header.h"
#include "part/table_disc/numbers.h"
#include "part/table_disc/table_volume.h"
#include "source/whole.h"

namespace hotstitch::table_disc {
namespace {

constexpr std::uint64_t first_half = 0x440, second_half = 0x2000, program_alignment = 0x100, file_alignment = 0x8000;

struct System {
    SharedSource header, second, loader, program, table;
};

/// "2026/11/28", with which loaders begin.
bool begins_with_date(ByteView head) {
    if (head.size() < 0x20) return false;
    const std::string_view date = text_of(head.first(10));
    for (std::size_t i = 0; i < date.size(); ++i)
        if ((i == 4 || i == 7) ? date[i] != '/' : date[i] < '0' || date[i] > '9') return false;
    return true;
}

/// A root folder whose number of entries fits.
bool looks_like_table(ByteView head, std::uint64_t size) {
    return head.size() >= entry_size && u32be(head, 0) == 0x01000000 && u32be(head, 4) == 0 &&
           std::uint64_t{u32be(head, 8)} * entry_size <= size;
}

void sort_in(System& system, const std::string& path, const SharedSource& content) {
    const Bytes head = head_of(*content);
    const std::uint64_t size = content->size();
    SharedSource* place = nullptr;
    if (generation_of(head) == Generation::earlier && size >= first_half)
        place = &system.header;
    else if (begins_with_date(head))
        place = &system.loader;
    else if (looks_like_table(head, size))
        place = &system.table;
    else if (identify(*content).platform == "dol")
        place = &system.program;
    else if (size == second_half)
        place = &system.second;
    if (place == nullptr)
        throw Error(ErrorCode::usage, fmt::format("{} is nothing that a disc has in sys/", path))
            .in("sys")
            .wanted("the header, the loader, the main program (.dol), perhaps the old table of files");
    if (*place) throw Error(ErrorCode::usage, fmt::format("{} is the second of its kind in sys/", path)).in("sys");
    *place = content;
}

Bytes header_of(const System& system) {
    const auto need = [](const SharedSource& part, const char* what) {
        if (!part) throw Error(ErrorCode::usage, fmt::format("{} is missing in sys/", what)).in("sys");
    };
    need(system.header, "the header");
    need(system.loader, "the loader");
    need(system.program, "the main program");
    Bytes header(header::end);
    const auto copy = [&](const ByteSource& from, std::uint64_t to, std::uint64_t most) {
        const Bytes bytes = head_of(from, static_cast<std::size_t>(most));
        std::copy(bytes.begin(), bytes.end(), header.begin() + static_cast<std::ptrdiff_t>(to));
    };
    copy(*system.header, 0, header::end);
    if (system.second) copy(*system.second, first_half, second_half);
    if (!system.second && system.header->size() < header::end)
        throw Error(ErrorCode::usage, "the second half of the header is missing in sys/")
            .in("sys")
            .wanted(counted(second_half, "byte", "bytes"));
    return header;
}

/// The old order where there is an old table, new files behind.
std::map<std::string, std::pair<std::uint64_t, std::uint64_t>> old_places(const System& system) {
    std::map<std::string, std::pair<std::uint64_t, std::uint64_t>> places;
    if (!system.table) return places;
    const WholeView bytes(*system.table);
    for (const Entry& e : parse_table(bytes, 0).entries)
        if (!e.folder) places[lower(e.path)] = {e.offset, e.size};
    return places;
}

class Layout {
public:
    void put(std::uint64_t at, const SharedSource& content) {
        if (at > end_) pieces_.push_back(std::make_shared<FilledSource>(std::byte{0}, at - end_));
        if (content->size() != 0) pieces_.push_back(content);
        end_ = at + content->size();
    }
    std::uint64_t end() const { return end_; }
    SharedSource take() { return std::make_shared<JoinedSource>(std::move(pieces_)); }

private:
    std::vector<SharedSource> pieces_;
    std::uint64_t end_ = 0;
};

struct Loose {
    std::string path;
    SharedSource content;
    std::uint64_t old = UINT64_MAX, offset = 0;
};

}  // namespace

SharedSource laid_out(const std::vector<std::pair<std::string, SharedSource>>& files, std::uint64_t total) {
    System system;
    std::vector<Loose> loose;
    for (const auto& [path, content] : files) {
        if (path.starts_with("sys/"))
            sort_in(system, path, content);
        else if (path.starts_with("files/"))
            loose.push_back({path.substr(6), content});
        else
            throw Error(ErrorCode::usage, fmt::format("{} lies neither in sys/ nor in files/", path)).in("folder");
        if (content->size() > UINT32_MAX)
            throw Error(ErrorCode::unsupported, fmt::format("{} is too large for a table of files", path));
    }
    Bytes header = header_of(system);
    const auto places = old_places(system);
    for (Loose& file : loose)
        if (const auto old = places.find(lower(file.path)); old != places.end()) file.old = old->second.first;
    std::stable_sort(loose.begin(), loose.end(), [](const Loose& a, const Loose& b) {
        return a.old != b.old ? a.old < b.old : lower(a.path) < lower(b.path);
    });

    std::vector<Entry> entries{{.path = {}, .name = {}, .folder = true, .end = 1}};
    for (const Loose& file : loose) (void)insert_file(entries, file.path);
    const std::uint64_t table_size = build_table(entries, 0).size();
    const std::uint64_t program_at = up_to(header::end + system.loader->size(), program_alignment);
    const std::uint64_t table_at = up_to(program_at + system.program->size(), program_alignment);
    std::uint64_t end = table_at + table_size;
    std::map<std::string, Loose*> by_path;
    for (Loose& file : loose) {
        // The old power of two, so that what is streamed still can be.
        const std::uint64_t unit =
            file.old == UINT64_MAX || file.old == 0 ? 32 : std::min(file_alignment, file.old & (~file.old + 1));
        file.offset = file.content->size() == 0 ? 0 : up_to(end, std::max<std::uint64_t>(unit, 4));
        if (file.content->size() != 0) end = file.offset + file.content->size();
        by_path[file.path] = &file;
    }
    if (total != 0 && end > total)
        throw Error(ErrorCode::usage, "the files do not fit on the disc")
            .wanted(counted(total, "byte", "bytes"))
            .found(counted(end, "byte", "bytes"));
    for (Entry& e : entries)
        if (!e.folder) e.offset = by_path.at(e.path)->offset, e.size = by_path.at(e.path)->content->size();
    set_big(header, header::program, program_at);
    set_big(header, header::table, table_at);
    set_big(header, header::table_size, table_size);
    set_big(header, header::table_most, table_size);

    Layout layout;
    layout.put(0, owned(std::move(header)));
    layout.put(header::end, system.loader);
    layout.put(program_at, system.program);
    layout.put(table_at, owned(build_table(entries, 0)));
    for (const Loose& file : loose)
        if (file.content->size() != 0) layout.put(file.offset, file.content);
    if (total != 0) layout.put(total, owned({}));
    return layout.take();
}

}  // namespace hotstitch::table_disc

namespace hotstitch {

SharedSource disc_from_files(const std::vector<std::pair<std::string, SharedSource>>& files, std::uint64_t total) {
    return table_disc::laid_out(files, total);
}

}  // namespace hotstitch
