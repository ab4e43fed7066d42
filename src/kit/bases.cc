// SPDX-License-Identifier: MIT
// Which of the files given is which base: by size and checksum, never by name, and never asked for. Files are compared
// by their sizes first, so that only what may be meant is read. Tested by tests/kit/kit_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <tuple>

#include "fit/readings.h"
#include "hotstitch/archive.h"
#include "hotstitch/error.h"
#include "hotstitch/kit_jobs.h"
#include "hotstitch/part_jobs.h"
#include "hotstitch/text.h"
#include "job/folder.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t most_files = 100'000, most_near = 3;
constexpr std::uint64_t largest_header = 1024;

/// Something that was given, or lies in what was given.
struct Candidate {
    std::string address;
    std::shared_ptr<const InputFile> file;
    Digests digests{};  ///< as far as they were wanted
};

class Finding {
public:
    Finding(const Kit& kit, const WorkOptions& work) : work_(work) {
        for (const KitBase& base : kit.bases) found_.push_back({.base = &base});
    }

    std::vector<KitBaseFound> run(const std::vector<std::string>& given) {
        for (const std::string& address : given) {
            std::error_code code;
            if (fs::is_directory(address, code))
                look_at_folder(address);
            else
                look_at_file(address);
        }
        take_read();
        for (KitBaseFound& one : found_) {
            // Of the right size, then the largest: a game is larger than what lies beside it.
            std::stable_sort(one.near.begin(), one.near.end(), [&](const KitNear& a, const KitNear& b) {
                const auto rank = [&](const KitNear& near) {
                    return std::tuple(near.reading.has_value(), is_size(*one.base, near.size), near.size);
                };
                return rank(a) > rank(b);
            });
            if (one.near.size() > most_near) one.near.resize(most_near);
            if (one) one.near.clear();
        }
        return std::move(found_);
    }

private:
    static bool is_size(const KitBase& base, std::uint64_t size) {
        return std::any_of(base.any.begin(), base.any.end(),
                           [&](const KitEdition& e) { return e.digests.size == size; });
    }

    bool wants_files() const {
        return std::any_of(found_.begin(), found_.end(), [](const auto& f) { return !f.base->folder; });
    }
    bool all_found() const {
        return std::all_of(found_.begin(), found_.end(), [](const auto& f) { return static_cast<bool>(f); });
    }
    bool wants_folders() const {
        return std::any_of(found_.begin(), found_.end(), [](const auto& f) { return !f && f.base->folder; });
    }

    /// Whether a file of this size may be one of those that are wanted.
    bool may_be(const std::optional<std::uint64_t>& size) const {
        for (const KitBaseFound& one : found_)
            for (const KitEdition& edition : one.base->any)
                if (!one.base->folder && (!size || !edition.digests.size || edition.digests.size == size ||
                                          may_be_read(*edition.digests.size, *size)))
                    return true;
        return false;
    }

    void look_at_folder(const std::string& address) {
        if (wants_folders()) try_as_folder(address, {}, address);
        if (!wants_files()) return;
        std::size_t looked_at = 0;
        for (const fs::path& path : files_below(address)) {
            if (++looked_at > most_files) break;
            std::error_code code;
            if (may_be(fs::file_size(path, code)))
                try_file(path.string());
            else
                try_archive(path.string());
        }
    }

    void look_at_file(const std::string& address) {
        const auto file = std::make_shared<const InputFile>(open_file(address, work_));
        if (!is_archive(*file)) {
            offer(address, file, true);
            if (all_found()) return;
            Listing container;
            passing_over([&] { container = Listing(file, work_.limits, work_.progress); });
            if (!container) return;
            if (wants_folders()) try_as_folder(address, container, {});
            look_into(address, *file, *container);
            return;
        }
        offer(address, file, false);
        look_into(address, *file);
        if (!wants_folders()) return;
        try_as_folder(address, Listing(file, work_.limits, work_.progress), {});
    }

    /// One pass over an archive.
    void look_into(const std::string& address, const InputFile& archive) {
        if (!wants_files()) return;
        ArchiveReader reader(archive, work_.limits, work_.progress);
        while (const ArchiveMember* const member = reader.next()) {
            if (member->encrypted || !may_be(member->size)) continue;
            const auto inside = std::make_shared<const InputFile>(
                InputFile::part(archive, member->name, [&](ByteSink& out) { reader.extract(out); }));
            offer(address + ":" + escaped_part(member->name.empty() ? "content" : member->name), inside, true);
        }
        reader.check_rest();
    }

    /// Files of a disc, and of whatever else opens into files. By their sizes as they stand there, and no deeper.
    void look_into(const std::string& address, const InputFile& file, const Container& container) {
        if (!wants_files()) return;
        for (const Part& part : container.parts()) {
            const auto may_be_it = [&](const KitBaseFound& one) { return !one && is_size(*one.base, *part.size); };
            if (part.kind != PartKind::file || part.encrypted || !part.size ||
                part.storage == PartStorage::past_the_end || std::none_of(found_.begin(), found_.end(), may_be_it))
                continue;
            offer(address + ":" + escaped_part(part.name),
                  std::make_shared<const InputFile>(open_part(file, part.name, work_)), false);
        }
    }

    void try_file(const std::string& path) {
        passing_over([&] { offer(path, std::make_shared<const InputFile>(open_file(path, work_)), false); });
    }
    void try_archive(const std::string& path) {
        passing_over([&] {
            const InputFile file = InputFile::regular(path, work_.limits, work_.progress);
            if (is_archive(file)) look_into(path, file);
        });
    }
    /// Of a folder's files, one that cannot be read is none that is meant.
    template <class Work>
    static void passing_over(const Work& work) {
        try {
            work();
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;
        }
    }

    /// Holds a file against every base. `tell`: where it is none, that is worth saying.
    void offer(const std::string& address, const std::shared_ptr<const InputFile>& file, bool tell) {
        DigestChoice choice{.crc32 = tell && wants_files()};
        for (const KitBaseFound& one : found_)
            for (const KitEdition& edition : one.base->any)
                if (!one.base->folder && edition.digests.size.value_or(file->size()) == file->size())
                    choice = either(choice, choice_for(edition.digests));
        Digests digests;
        if (choice.crc32 || choice.md5 || choice.sha1 || choice.sha256)
            digests = digest(*file, choice, work_.progress, Phase::checking_source);
        for (KitBaseFound& one : found_) {
            if (one.base->folder) continue;
            bool is_one = false;
            for (const KitEdition& edition : one.base->any) {
                if (!digests.size || !compare(edition.digests, digests).empty()) continue;
                is_one = true;
                add(one, edition.name, address, [&] { one.digests = digests, one.file = file; });
                break;
            }
            if (is_one || (one && !tell)) continue;
            const bool is_read = read_as_one(one, address, file, tell);
            if (tell && !one && !is_read)
                one.near.push_back({address, file->size(), digests, words_for(identify(*file)), lossy_reading_});
        }
    }

    template <class Take>
    static void add(KitBaseFound& one, const std::string& edition, const std::string& address, const Take& take) {
        if (!one)
            one.edition = edition, one.address = address, take();
        else if (edition != one.edition)
            one.others.emplace_back(edition, address);
        else
            one.again.push_back(address);
    }

    /// A file that is an edition in another form than it stands in. Of many files, only what sizes say plainly is
    /// tried: a front header, whole sectors.
    bool read_as_one(const KitBaseFound& one, const std::string& address, const std::shared_ptr<const InputFile>& file,
                     bool all) {
        lossy_reading_.reset();
        for (const KitEdition& edition : one.base->any) {
            if (!edition.digests.size || (!all && !may_be_read(*edition.digests.size, file->size()))) continue;
            for (const Representation& reading : readings_for(*file, edition.digests.size)) {
                const DigestChoice choice = either(DigestChoice{}, choice_for(edition.digests));
                const Digests as_read = digest(*read_as(*file, reading), choice, work_.progress);
                if (!compare(edition.digests, as_read).empty()) continue;
                if (!reading.harmless()) {
                    lossy_reading_ = reading;
                    return false;
                }
                read_.push_back({one.base, edition.name, address, file, reading, as_read});
                return true;
            }
        }
        return false;
    }

    static bool may_be_read(std::uint64_t wanted, std::uint64_t size) {
        constexpr std::uint64_t plain = 2048, raw = 2352;
        return (size > wanted && size - wanted <= largest_header) ||
               (wanted > size && wanted - size <= largest_header) || size / raw * plain == wanted ||
               size / plain * raw == wanted;
    }

    /// Bases that nothing is as it stands are what was found in another form; else that is the same once more.
    void take_read() {
        for (KitBaseFound& one : found_) {
            const bool stands = static_cast<bool>(one);
            for (const Read& read : read_) {
                if (read.base != one.base || (stands && read.edition != one.edition)) continue;
                add(one, read.edition, read.address, [&] {
                    one.file = read.file, one.reading = read.reading, one.as_read = read.as_read;
                    one.digests = digest(*read.file, {}, work_.progress, Phase::checking_source);
                });
            }
        }
    }

    /// `folder`: on the disk; empty: the container is of a file.
    void try_as_folder(const std::string& address, const Listing& container, const fs::path& folder) {
        for (KitBaseFound& one : found_) {
            if (one || !one.base->folder) continue;
            std::string why;
            for (const KitEdition& edition : one.base->any) {
                why = why_not(container, folder, edition);
                if (!why.empty()) continue;
                one.edition = edition.name, one.address = address, one.folder = folder;
                if (folder.empty()) one.container = container;
                break;
            }
            if (!one) one.near.push_back({.address = address, .what = why});
        }
    }

    /// Why a folder is not an edition; empty: it is.
    std::string why_not(const Listing& container, const fs::path& folder, const KitEdition& edition) const {
        std::optional<std::map<std::string, Part>> parts;
        for (const auto& [name, wanted] : edition.files) try {
                SharedSource file;
                if (!folder.empty()) {
                    std::error_code code;
                    if (!fs::is_regular_file(folder / name, code)) return fmt::format("it has no {}", name);
                    file = std::make_shared<InputFile>(folder / name);
                } else {
                    if (!parts) {
                        parts.emplace();
                        for (const Part& part : container->parts()) parts->emplace(part.name, part);
                    }
                    const auto found = parts->find(name);
                    if (found == parts->end()) return fmt::format("it has no {}", name);
                    file = container.content(found->second, work_.limits);
                }
                if (wanted.size && *wanted.size != file->size())
                    return fmt::format("{} has {} instead of {}", name, counted(file->size(), "byte", "bytes"),
                                       grouped(*wanted.size));
                const auto wrong =
                    compare(wanted, digest(*file, choice_for(wanted), work_.progress, Phase::checking_source));
                if (!wrong.empty())
                    return fmt::format("{} has {} {} instead of {}", name, wrong.front().name, wrong.front().found,
                                       wrong.front().wanted);
            } catch (const Error& error) {
                if (error.code() == ErrorCode::cancelled) throw;
                return fmt::format("{}: {}", name, error.what());
            }
        return {};
    }

    struct Read {
        const KitBase* base;
        std::string edition, address;
        std::shared_ptr<const InputFile> file;
        Representation reading;
        Digests as_read;
    };

    const WorkOptions& work_;
    std::vector<KitBaseFound> found_;
    std::vector<Read> read_;                         ///< in another form than they stand in
    std::optional<Representation> lossy_reading_{};  ///< of the file that was looked at last
};

}  // namespace

std::vector<KitBaseFound> find_kit_bases(const Kit& kit, const std::vector<std::string>& given,
                                         const WorkOptions& options) {
    return Finding(kit, options).run(given);
}

}  // namespace hotstitch
