// SPDX-License-Identifier: MIT
// Which of the files in a folder does a patch fit? Sizes first: of what has the size that the patch wants, the
// contents; then, where none of those is it, what may be it in another form: behind a front header, in another order,
// packed. Of a patch that says nothing of its source, every game is asked by its own checks. Tested by
// tests/heap/heap_test.cc.
#include <algorithm>
#include <chrono>

#include "hotstitch/error.h"
#include "hotstitch/inputs.h"

namespace hotstitch {

namespace fs = std::filesystem;

namespace {

constexpr std::size_t most_entries = 50'000;
constexpr std::uint64_t largest_header = 1024;
constexpr auto most_time = std::chrono::seconds(2);

struct Candidate {
    fs::path path;
    std::uint64_t size = 0;
};

class Search {
public:
    Search(const PatchInput& patch, const WorkOptions& work, Look where)
        : patch_(patch),
          checks_(patch.found ? patch.found->checks : Checks{}),
          work_(work),
          wanted_(joined(patch.reader->facts().source, checks_.source)),
          where_(where) {}

    std::vector<FoundGame> in(const fs::path& folder) {
        for (const Candidate& file : listed(folder)) (is_right_size(file) ? right_size_ : others_).push_back(file);
        for (const Candidate& file : right_size_) look(file, false);
        if (!found_.empty()) return std::move(found_);
        for (const Candidate& file : right_size_) look(file, true);
        for (const Candidate& file : others_)
            if (may_be_in_another_form(file)) look(file, true);
        return std::move(found_);
    }
    bool cut_short() const noexcept { return cut_short_; }

private:
    bool out_of_time() {
        if (std::chrono::steady_clock::now() - began_ < most_time) return false;
        return cut_short_ = true;
    }

    std::vector<Candidate> listed(const fs::path& folder) {
        std::vector<Candidate> all;
        std::error_code code;
        fs::recursive_directory_iterator entry(folder, fs::directory_options::skip_permission_denied, code), end;
        for (; !code && entry != end; entry.increment(code)) {
            if (where_ == Look::here) entry.disable_recursion_pending();
            if (all.size() >= most_entries || out_of_time()) return cut_short_ = true, all;
            std::error_code unreadable;
            if (!entry->is_regular_file(unreadable) || patch_.file.is_same_file(entry->path())) continue;
            if (const std::uint64_t size = entry->file_size(unreadable); size != 0)
                all.push_back({entry->path(), size});
        }
        std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.path < b.path; });
        return all;
    }

    bool is_right_size(const Candidate& file) const { return wanted_.size && *wanted_.size == file.size; }

    bool may_be_in_another_form(const Candidate& file) const {
        const Bytes head = head_of(InputFile::regular(file.path, work_.limits), 512);
        const KindId kind = recognise_file(head).id;
        if (kind == KindId::archive || kind == KindId::disc_copy || kind == KindId::payload) return true;
        if (!wanted_.size)
            return is_game_extension(file.path.extension().string()) ||
                   is_dump_extension(file.path.extension().string());
        return std::max(file.size, *wanted_.size) - std::min(file.size, *wanted_.size) <= largest_header;
    }

    void look(const Candidate& candidate, bool in_other_forms) try {
        if (cut_short_ || out_of_time()) return;
        const std::string address = candidate.path.lexically_normal().string();
        if (!in_other_forms) {
            const InputFile file = InputFile::regular(candidate.path, work_.limits, work_.progress);
            const Fit answer = fit(*patch_.reader, file, checks_, work_.limits, work_.progress);
            if (answer.answer == FitAnswer::fits) note(address, file, true);
            return;
        }
        const SourceFile source = source_for(open_file(address, work_), *patch_.reader, checks_, work_);
        const SourceReading reading = reading_for(*patch_.reader, source.file, checks_, work_);
        if (!reading.fits()) return;
        const SharedSource read = reading.of(source.file);
        const FitAnswer answer = fit(*patch_.reader, *read, checks_, work_.limits, work_.progress).answer;
        if (answer == FitAnswer::fits) return note(address, source.file, true);
        if (answer != FitAnswer::unknown) return;
        const RepresentationTrial trial = opinion_on_representation(*patch_.reader, source.file, work_.limits);
        if (own_checks(*patch_.reader, source.file, trial, work_.limits).speak_for_it())
            note(address, source.file, false);
    } catch (const Error& error) {
        if (error.code() == ErrorCode::cancelled) throw;  // else it is damaged, or goes while it is read: not it
    }

    void note(const std::string& address, const ByteSource& file, bool by_checksums) {
        found_.push_back({address, words_for(identify(file)), by_checksums});
    }

    const PatchInput& patch_;
    const Checks checks_;
    const WorkOptions& work_;
    const Digests wanted_;
    const Look where_;
    const std::chrono::steady_clock::time_point began_ = std::chrono::steady_clock::now();
    std::vector<Candidate> right_size_, others_;
    std::vector<FoundGame> found_;
    bool cut_short_ = false;
};

}  // namespace

std::vector<FoundGame> games_in(const fs::path& folder, const PatchInput& patch, const WorkOptions& options, Look where,
                                bool* cut_short) {
    Search search(patch, options, where);
    std::vector<FoundGame> found = search.in(folder.empty() ? fs::path(".") : folder);
    if (cut_short != nullptr) *cut_short = *cut_short || search.cut_short();
    return found;
}

}  // namespace hotstitch
