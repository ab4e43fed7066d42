// SPDX-License-Identifier: MIT
// A kit on the disk: a folder, or a zip file that is unpacked once, into one piece of temporary storage.
// Tested by tests/kit/kit_test.cc.
#include <fmt/format.h>

#include <algorithm>

#include "base/letters.h"
#include "hotstitch/archive.h"
#include "hotstitch/error.h"
#include "hotstitch/field_jobs.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/text.h"
#include "source/stretch.h"
#include "source/whole.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t most_kit_files = 50'000;
constexpr std::uint64_t longest_text = std::uint64_t{8} << 20;

bool is_zip(const ByteSource& file) {
    return text_of(head_of(file, 4)) == std::string_view("PK\3\4", 4);
}

Error bad_name(const std::string& name, const std::string& why) {
    return Error(ErrorCode::damaged, fmt::format("the kit has a file that no kit may have: {}", why))
        .in("file")
        .found(name)
        .hint("do not use this kit unless you know who made it");
}

}  // namespace

struct KitInput::State {
    fs::path path;
    WorkOptions work;
    bool folder = false;
    std::map<std::string, std::uint64_t> files;   ///< without kit.toml
    std::map<std::string, std::uint64_t> places;  ///< of a zip file: where each begins in `unpacked`
    std::shared_ptr<ByteSink> unpacked;
    std::map<std::string, SharedSource> memory;  ///< of a kit that lies nowhere
    Bytes text;
    Kit kit;
    mutable std::shared_ptr<const Maps> maps;

    void read_folder();
    void read_zip();
    void check_names() const;
    Bytes whole(const std::string& name) const;
};

void KitInput::State::read_folder() {
    std::error_code code;
    fs::recursive_directory_iterator entry(path, code), end;
    for (; !code && entry != end; entry.increment(code)) {
        const std::string name = entry->path().lexically_relative(path).generic_string();
        const fs::file_status status = entry->symlink_status();
        if (fs::is_directory(status)) continue;
        // A maker's folder holds what systems and editors leave, which is none of the kit.
        if (entry->path().filename().string().starts_with('.')) continue;
        if (!fs::is_regular_file(status)) throw bad_name(name, "it is a link or a device");
        if (files.size() == most_kit_files)
            throw Error(ErrorCode::limit, "the kit has more files than are looked at")
                .wanted(fmt::format("at most {}", most_kit_files));
        files.emplace(name, entry->file_size());
    }
    if (code) throw Error(ErrorCode::io, fmt::format("cannot read {}: {}", path.string(), code.message()));
}

namespace {

/// Whether the end of a zip file's directory is there, which comes last; members can be read without.
bool has_directory(const ByteSource& file) {
    constexpr std::uint64_t record = 22, longest_comment = 0xFFFF;
    const std::uint64_t length = std::min(file.size(), record + longest_comment);
    const Bytes tail = stretch_of(file, file.size() - length, length);
    return text_of(tail).rfind("PK\x05\x06") != std::string_view::npos;
}

}  // namespace

void KitInput::State::read_zip() {
    const InputFile file =
        work.open ? work.open(path.string(), work.limits) : InputFile(path, work.limits, work.progress);
    if (!is_zip(file))
        throw Error(ErrorCode::not_this_format,
                    fmt::format("{} is no kit: it is neither a folder nor a zip file", path.string()));
    if (!has_directory(file))
        throw Error(ErrorCode::truncated, fmt::format("{} is cut short: its directory is missing", path.string()))
            .hint("get the kit again");
    unpacked = scratch_of(work.limits);
    std::uint64_t end = 0;
    ArchiveReader reader(file, work.limits, work.progress);
    while (const ArchiveMember* const member = reader.next()) {
        const std::string name = member->name;
        if (const std::string why = why_unsafe(name); !why.empty()) throw bad_name(name, why);
        if (files.contains(name)) throw bad_name(name, "it is there twice");
        places.emplace(name, end);
        struct Counting final : ByteSink {
            ByteSink& below;
            std::uint64_t size = 0;
            explicit Counting(ByteSink& sink) : below(sink) {}
            void write(ByteView bytes) override { size += bytes.size(), below.write(bytes); }
        } counting(*unpacked);
        reader.extract(counting);
        files.emplace(name, counting.size);
        end += counting.size;
    }
    reader.check_rest();
    // Who packs a folder often packs the folder itself.
    if (files.contains(std::string(kit_text_name)) || files.empty()) return;
    const std::string first = files.begin()->first, outer = first.substr(0, first.find('/') + 1);
    const auto below = [&](const auto& row) { return row.first.starts_with(outer); };
    if (outer.empty() || !std::all_of(files.begin(), files.end(), below)) return;
    decltype(files) inner;
    decltype(places) inner_places;
    for (const auto& [name, size] : files) inner.emplace(name.substr(outer.size()), size);
    for (const auto& [name, at] : places) inner_places.emplace(name.substr(outer.size()), at);
    files = std::move(inner), places = std::move(inner_places);
}

void KitInput::State::check_names() const {
    std::map<std::string, std::string> seen;
    for (const auto& [name, size] : files) {
        if (const std::string why = why_unsafe(name); !why.empty()) throw bad_name(name, why);
        if (const auto [other, is_new] = seen.emplace(lower(name), name); !is_new)
            throw bad_name(name, fmt::format("its name differs from {} only by case", other->second));
    }
}

Bytes KitInput::State::whole(const std::string& name) const {
    if (files.at(name) > longest_text)
        throw Error(ErrorCode::limit, fmt::format("{} is longer than is read", name))
            .wanted(fmt::format("at most {}", counted(longest_text, "byte", "bytes")));
    if (const auto held = memory.find(name); held != memory.end()) {
        const WholeView view(*held->second);
        return {view.bytes().begin(), view.bytes().end()};
    }
    if (folder) {
        const InputFile file = InputFile::regular(path / name, work.limits);
        return {file.bytes().begin(), file.bytes().end()};
    }
    Bytes part(static_cast<std::size_t>(files.at(name)));
    unpacked->read_back(places.at(name), part);
    return part;
}

KitInput::KitInput(const fs::path& path, const WorkOptions& options) : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.path = path, s.work = options;
    std::error_code code;
    s.folder = fs::is_directory(path, code);
    s.folder ? s.read_folder() : s.read_zip();
    s.check_names();
    const std::string text_name(kit_text_name);
    if (!s.files.contains(text_name))
        throw Error(ErrorCode::not_this_format, fmt::format("{} is no kit: it has no {}", path.string(), text_name));
    s.text = s.whole(text_name);
    s.files.erase(text_name);
    s.kit = read_kit(text_of(s.text), (path / text_name).string());
}

KitInput::KitInput(const std::string& name, std::string_view text, std::map<std::string, SharedSource> files,
                   const WorkOptions& options)
    : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.path = name, s.work = options;
    for (const auto& [file, content] : files) s.files.emplace(file, content->size());
    s.memory = std::move(files);
    s.check_names();
    s.text.assign(bytes_of(text).begin(), bytes_of(text).end());
    s.kit = read_kit(text, name);
}

KitInput::~KitInput() = default;
KitInput::KitInput(KitInput&&) noexcept = default;

const Kit& KitInput::kit() const noexcept {
    return state_->kit;
}
const Bytes& KitInput::text() const noexcept {
    return state_->text;
}
const fs::path& KitInput::path() const noexcept {
    return state_->path;
}
bool KitInput::is_folder() const noexcept {
    return state_->folder;
}
const std::map<std::string, std::uint64_t>& KitInput::files() const noexcept {
    return state_->files;
}

SharedSource KitInput::open(const std::string& name) const {
    const State& s = *state_;
    const auto found = s.files.find(name);
    if (found == s.files.end()) {
        std::vector<std::string> names;
        for (const auto& [other, size] : s.files) names.push_back(other);
        const std::string near = nearest_word(name, names);
        throw Error(ErrorCode::usage, "the kit does not have this file")
            .in("file")
            .found(name)
            .hint(near.empty() ? "get the kit again; it is not whole" : fmt::format("did its maker mean {}?", near));
    }
    if (const auto held = s.memory.find(name); held != s.memory.end()) return held->second;
    if (s.folder) return std::make_shared<InputFile>(s.path / name, s.work.limits, s.work.progress);
    return std::make_shared<SliceSource>(std::make_shared<WrittenSource>(s.unpacked), s.places.at(name), found->second);
}

const std::shared_ptr<const Maps>& KitInput::maps() const {
    const State& s = *state_;
    if (s.maps) return s.maps;
    auto maps = std::make_shared<Maps>();
    for (const auto& [name, size] : s.files) {
        if (!name.ends_with(map_extension)) continue;
        const fs::path folder = fs::path(name).parent_path();
        const auto beside = [&](const std::string& other) {
            const std::string path = (folder / other).lexically_normal().generic_string();
            if (!s.files.contains(path)) throw Error(ErrorCode::usage, fmt::format("the kit has no file {}", path));
            return s.whole(path);
        };
        maps->add(read_map(text_of(s.whole(name)), name, beside));
    }
    s.maps = std::move(maps);
    return s.maps;
}

Digests KitInput::digests() const {
    const State& s = *state_;
    Digester digester({});
    std::uint64_t size = s.text.size();
    const auto file = [&](std::string_view name, const ByteSource& content) {
        digester.update(bytes_of(fmt::format("{}\n{}\n", name, content.size())));
        Bytes scratch(1 << 20);
        for (std::uint64_t at = 0; at < content.size();) {
            const auto part = static_cast<std::size_t>(std::min<std::uint64_t>(scratch.size(), content.size() - at));
            digester.update(content.read(at, part, scratch));
            at += part;
        }
        content.check_intact();
    };
    file(kit_text_name, MemorySource(s.text));
    for (const auto& [name, length] : s.files) {
        file(name, *open(name));
        size += length;
    }
    Digests digests = digester.finish();
    digests.size = size;
    return digests;
}

bool is_kit(const std::string& path, const WorkOptions& options) {
    std::error_code code;
    if (fs::is_directory(path, code)) return fs::is_regular_file(fs::path(path) / kit_text_name, code);
    if (!fs::is_regular_file(path, code)) return false;
    const InputFile file(path, options.limits);
    if (!is_zip(file)) return false;
    if (fs::path(path).extension() == kit_extension) return true;
    try {
        ArchiveReader reader(file, options.limits, options.progress);
        while (const ArchiveMember* const member = reader.next())
            if (fs::path(member->name).filename() == kit_text_name) return true;
    } catch (const Error& error) {  // whoever opens it says what is wrong
        if (error.code() == ErrorCode::cancelled) throw;
    }
    return false;
}

void pack_kit(const KitInput& kit, ByteSink& out) {
    std::vector<std::pair<std::string, SharedSource>> files;
    files.emplace_back(kit_text_name, owned(kit.text()));
    for (const auto& [name, size] : kit.files()) files.emplace_back(name, kit.open(name));
    write_zip(files, out);
}

}  // namespace hotstitch
