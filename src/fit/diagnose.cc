// SPDX-License-Identifier: MIT
// The reasons, from the certain (a reading of the file passes every check) over the telling (a web page, an
// archive) to what the size alone says. Tested by tests/diagnose_test.cc, whose table is docs/diagnosis.md.
#include "hotstitch/fit.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "edit/target_builder.h"
#include "fit/windows.h"
#include "hotstitch/error.h"
#include "hotstitch/cartridge.h"
#include "hotstitch/part.h"
#include "source/whole.h"

namespace hotstitch {
namespace {

/// Sizes that front headers have on one platform or another.
constexpr std::array<std::uint64_t, 4> header_sizes{16, 64, 128, 512};

/// Text-mode damage is tried up to this size: it has to be undone in memory.
constexpr std::uint64_t most_line_ends = std::uint64_t{64} << 20;

/// Keeps nothing but the checksums of what is written.
class DigestingSink final : public ByteSink {
public:
    explicit DigestingSink(DigestChoice choice) : digester_(choice) {}
    void write(ByteView bytes) override { digester_.update(bytes); }
    Digests finish() { return digester_.finish(); }

private:
    Digester digester_;
};

constexpr std::uint64_t far_into_a_disc = std::uint64_t{64} << 20;

class Diagnostician {
public:
    Diagnostician(const PatchReader& patch, const ByteSource& file, const DiagnoseOptions& options)
        : patch_(patch),
          facts_(patch.facts()),
          file_(file),
          source_(joined(facts_.source, options.checks.source)),
          target_(joined(facts_.target, options.checks.target)),
          options_(options),
          progress_(options.progress) {}

    Diagnosis run() {
        if (file_.size() == 0) {
            reason("empty", "the file is empty");
            result_.next = "the download or copy failed; get the file again";
        } else if (can_tell() && ((readings_may_help() && try_readings()) || try_others())) {
            // that says it all
        } else {
            look_at_content();
            if (facts_.source_was_packed)
                reason("unpacked-source",
                       "the patch was made from the unpacked content of a packed file, by its header");
            if (traits_of(facts_.format).has_windows && source_.empty())
                look_at_windows();
            else if (result_.reasons.empty() || source_.size)
                look_at_size();
        }
        if (!edition_.empty()) reason("edition", edition_);
        if (result_.next.empty()) result_.next = "look for the exact revision and region that the patch's author names";
        return std::move(result_);
    }

private:
    void reason(std::string_view code, std::string text) { result_.reasons.push_back({code, std::move(text)}); }

    /// Is there anything to know the right source by?
    bool can_tell() const { return !source_.empty() || facts_.checked_windows != 0; }

    /// In another dress, a file goes wrong in the first windows that read it. When it does only far into a disc, trying
    /// each reading up to there would cost much and find nothing.
    bool readings_may_help() const {
        if (!source_.empty() || file_.size() < facts_.source_reach) return true;
        const WindowResults results = check_windows(patch_, file_, false, options_.limits, progress_);
        return results.first_wrong && results.first_wrong->offset < far_into_a_disc;
    }

    bool passes(const Representation& reading, const Digests& wanted) const {
        const auto source = read_as(file_, reading);
        if (wanted.empty()) return makes_all_windows(*source);
        if (wanted.size && *wanted.size != source->size()) return false;
        return compare(wanted, digest(*source, choice_for(wanted), progress_, Phase::checking_source)).empty();
    }

    /// Every reading that the sizes allow; with no size known, those that are likely at all.
    std::vector<Representation> candidates() const {
        const std::uint64_t size = file_.size();
        std::vector<Representation> all;
        const auto add_header = [&](std::uint64_t n) {
            if (size > n && (!source_.size || *source_.size == size - n))
                all.push_back({RepresentationKind::without_front_header, n});
            if (!source_.size || *source_.size == size + n) all.push_back({RepresentationKind::with_front_header, n});
        };
        for (const std::uint64_t n : header_sizes) add_header(n);
        if (const std::uint64_t odd = size % 1024;
            odd != 0 && std::find(header_sizes.begin(), header_sizes.end(), odd) == header_sizes.end())
            add_header(odd);
        if (!source_.size || *source_.size == size)
            for (const RepresentationKind kind :
                 {RepresentationKind::pairs_swapped, RepresentationKind::words_reversed, RepresentationKind::halves_swapped})
                all.push_back({kind});
        add_interleavings(all);
        if (source_.size && *source_.size < size) add_padding_taken_off(size - *source_.size, all);
        if (source_.size && *source_.size > size && *source_.size - size <= size)
            for (const std::byte fill : {std::byte{0xFF}, std::byte{0}})
                all.push_back({RepresentationKind::with_padding, *source_.size - size, fill});
        if (size <= most_line_ends && text_of(WholeView(file_)).find("\r\n") != std::string_view::npos)
            all.push_back({RepresentationKind::line_ends_restored});
        return all;
    }

    void add_interleavings(std::vector<Representation>& all) const {
        constexpr std::uint64_t block = 16 << 10, header = 512;
        const std::uint64_t size = file_.size();
        if (size > block && size % block == header && (!source_.size || *source_.size == size - header))
            all.push_back({RepresentationKind::de_interleaved, header});
        if (size % block == 0 && (!source_.size || *source_.size == size)) {
            all.push_back({RepresentationKind::de_interleaved});
            all.push_back({RepresentationKind::interleaved});
        }
    }

    void add_padding_taken_off(std::uint64_t extra, std::vector<Representation>& all) const {
        for (const std::byte fill : {std::byte{0xFF}, std::byte{0}})
            if (is_filled(file_, file_.size() - extra, extra, fill))
                all.push_back({RepresentationKind::without_padding, extra, fill});
    }

    bool try_readings() {
        for (const Representation& reading : candidates()) {
            if (passes(reading, source_)) return found(reading, false);
            if (is_target(reading)) return found(reading, true);
        }
        return false;
    }

    bool is_target(const Representation& reading) const {
        if (target_.has_checksum()) return passes(reading, target_);
        return holds_all_windows(patch_, *read_as(file_, reading));
    }

    bool makes_all_windows(const ByteSource& source) const {
        if (source.size() < facts_.source_reach) return false;
        return check_windows(patch_, source, false, options_.limits, progress_).wrong == 0;
    }

    /// Without a checksum of the source, the windows of the target say what is wrong, and where it begins.
    void look_at_windows() {
        if (file_.size() < facts_.source_reach) {
            reason("too-short", fmt::format("the patch reads the source up to byte {}, and the file has {}",
                                            facts_.source_reach, file_.size()));
            result_.next =
                "the file was cut short, or it is another game or revision; look for the one the author names";
            return;
        }
        if (facts_.checked_windows == 0) {
            reason("cannot-be-known", "the patch carries no checks at all, neither of its source nor of what it makes");
            result_.next = "ask the patch's author for the source's size and checksum";
            return;
        }
        const WindowResults results = check_windows(patch_, file_, true, options_.limits, progress_);
        if (results.wrong == 0)
            return reason("other-content", "every window comes out right, and still a checksum is wrong");
        const Window& first = *results.first_wrong;
        const std::string where = fmt::format(
            "{} of {} windows come out right; the first wrong one is window {}, from byte "
            "{} of the target on",
            results.right, results.right + results.wrong, first.number, first.offset);
        if (results.right == 0 && results.wrong == 1)
            reason("no-window-right",
                   "what the patch makes, in one window, does not come out right: another revision or "
                   "game, or a copy that was changed or converted");
        else if (results.right == 0)
            reason("no-window-right", fmt::format("none of {} windows comes out right: another game, or its content is "
                                                  "shifted or converted",
                                                  results.wrong));
        else if (results.right + 1 == first.number)
            reason("right-to-a-point",
                   fmt::format("{}: up to there the file is the right one, so another revision, or a changed copy",
                               where));
        else
            reason("some-windows-right", fmt::format("{}: another revision, or a copy that was changed", where));
    }

    /// An add-on needs another patch's result; a file that has another patch is no longer the source.
    bool try_others() {
        if (source_.empty()) return false;
        for (const OtherPatch& other : options_.others) {
            const PatchFacts& facts = other.patch->facts();
            if (makes_the_source(*other.patch)) return needs(other);
            const bool same_source = !facts.source.empty() && compare(source_, facts.source).empty();
            if (!same_source || facts.target.empty() || !is(facts.target)) continue;
            reason("other-patch-applied",
                   fmt::format("the file is what {} makes; this patch was made for the file before that", other.name));
            result_.next = "start from the original, from before that patch";
            return true;
        }
        return false;
    }

    bool is(const Digests& wanted) const {
        if (wanted.size && *wanted.size != file_.size()) return false;
        return compare(wanted, digest(file_, choice_for(wanted), progress_, Phase::checking_source))
            .empty();
    }

    /// Does this patch, from whatever source, make the file that is wanted?
    bool makes_the_source(const PatchReader& other) const {
        const Digests& target = other.facts().target;
        if (target.crc32 && source_.crc32) return compare(source_, target).empty();
        const std::uint64_t size = other.target_size(file_.size());
        if (source_.size && *source_.size != size) return false;
        if (size > options_.limits.output_for(file_.size(), other.facts().patch_size)) return false;
        try {
            DigestingSink made(choice_for(source_));
            TargetBuilder builder(file_, made, size, progress_, Phase::checking_source);
            other.read(file_.size(), builder);
            builder.finish();
            return compare(source_, made.finish()).empty();
        } catch (const Error& error) {
            if (error.code() == ErrorCode::cancelled) throw;
            return false;  // it does not apply to this file
        }
    }

    bool needs(const OtherPatch& other) {
        const Digests& source = other.patch->facts().source;
        const bool ready = source.empty() || is(source);
        reason("needs-other-patch",
               ready ? fmt::format("the patch was made for what {} makes of this file", other.name)
                     : fmt::format("the patch was made for what {} makes, and of another file than this", other.name));
        result_.next = ready ? fmt::format("apply {} first, then this patch", other.name)
                             : fmt::format("find the source of {}, apply that first, then this patch", other.name);
        return true;
    }

    bool found(const Representation& reading, bool is_target) {
        if (is_target) {
            reason("already-patched",
                   fmt::format("read {}, the file is what the patch makes: already patched", words_for(reading)));
            result_.next = "use it as it is, or start from the original";
            return true;
        }
        reason(code_of(reading), fmt::format("read {}, the file is the right one", words_for(reading)));
        result_.reading = reading;
        result_.next = next_for(reading);
        return true;
    }

    static std::string_view code_of(const Representation& reading) {
        switch (reading.kind) {
            case RepresentationKind::without_front_header: return "front-header";
            case RepresentationKind::with_front_header: return "no-front-header";
            case RepresentationKind::pairs_swapped:
            case RepresentationKind::words_reversed:
            case RepresentationKind::halves_swapped: return "byte-order";
            case RepresentationKind::de_interleaved:
            case RepresentationKind::interleaved: return "interleaved";
            case RepresentationKind::without_padding: return "padded";
            case RepresentationKind::with_padding: return "trimmed";
            case RepresentationKind::line_ends_restored: break;
        }
        return "line-ends";
    }

    static std::string next_for(const Representation& reading) {
        switch (reading.kind) {
            case RepresentationKind::without_padding:
                return fmt::format("cut the last {} bytes off a copy and apply the patch to that", reading.bytes);
            case RepresentationKind::with_padding: return "look for an untrimmed copy";
            case RepresentationKind::line_ends_restored:
                return "a transfer in text mode has changed the file; get it again, in binary mode";
            default: return "apply the patch to the file read so; nothing of the file is lost by it";
        }
    }

    void look_at_content() {
        const auto [kind, image] = identify(file_);
        if (kind.name == "web-page") {
            reason("web-page", "the file is a web page, saved in place of the file itself");
            result_.next = "open the page and save the file it offers";
        } else if (kind.name == "archive") {
            reason("archive", fmt::format("the file is {}, and the patch was made for what is inside", kind.title));
            result_.next = "unpack it and use the file inside";
        } else if (kind.name == "patch") {
            reason("is-a-patch", fmt::format("the file is itself a patch ({})", kind.title));
            result_.next = "hand in the game file, not another patch";
        }
        if (image)
            edition_ =
                fmt::format("by its internal header, this is {} ({})", edition_of(*image), image->platform_title);
    }

    void look_at_size() {
        const std::uint64_t size = file_.size();
        if (!source_.size) {
            reason("cannot-be-known", source_.empty() ? "the patch says nothing about its source"
                                                      : "no reading of the file has the wanted checksum");
            result_.next = "ask the patch's author for the source's size and checksum";
            return;
        }
        const std::uint64_t wanted = *source_.size;
        if (size == wanted) {
            reason("other-content",
                   "the size is right and the content is not: another revision or region, or a copy that was changed");
            return;
        }
        const std::uint64_t apart = size > wanted ? size - wanted : wanted - size;
        if (size > wanted && is_header_size(apart)) {
            reason("front-header-and-more",
                   fmt::format("the file has {} bytes more, as a front header would, but is another one without it too",
                               apart));
        } else if (size < wanted && is_header_size(apart)) {
            reason("no-front-header", fmt::format("the file has {} bytes less: the patch was likely made for a copy "
                                                  "with a front header, whose content is not known",
                                                  apart));
        } else if (size < wanted && (size % 512 != 0 || wanted % size != 0)) {
            reason("cut-short",
                   fmt::format("the file is {} bytes short: a download that broke off, or another game", apart));
        } else {
            reason("other-size", fmt::format("the file is {} bytes {}: another revision or region, or another game",
                                             apart, size > wanted ? "too long" : "too short"));
        }
    }

    static bool is_header_size(std::uint64_t n) {
        return std::find(header_sizes.begin(), header_sizes.end(), n) != header_sizes.end();
    }

    const PatchReader& patch_;
    const PatchFacts& facts_;
    const ByteSource& file_;
    Digests source_, target_;
    const DiagnoseOptions& options_;
    const Progress& progress_;
    Diagnosis result_;
    std::string edition_;  ///< what the file says it is; told after why it does not fit
};

}  // namespace

Diagnosis diagnose(const PatchReader& patch, const ByteSource& file, const DiagnoseOptions& options) {
    return Diagnostician(patch, file, options).run();
}

}  // namespace hotstitch
