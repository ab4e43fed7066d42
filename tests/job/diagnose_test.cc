// SPDX-License-Identifier: MIT
// Wrong-file situations built from the demo world, each with the reason the diagnosis has to give. The table is
// docs/diagnosis.md; write it anew with HOTSTITCH_WRITE_DOCS=1.
#include "hotstitch/fit.h"
#include "hotstitch/text.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>

#include "cartridges.h"
#include "console_discs.h"
#include "disc.h"
#include "executables.h"
#include "hotstitch/apply.h"
#include "hotstitch/create.h"
#include "lib/patch_makers.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

Bytes joined(ByteView a, ByteView b) {
    Bytes out(a.begin(), a.end());
    out.insert(out.end(), b.begin(), b.end());
    return out;
}

Bytes exchanged(Bytes bytes, std::size_t mask) {
    Bytes out(bytes.size());
    for (std::size_t i = 0; i < bytes.size(); ++i) out[i] = bytes[i ^ mask];
    return out;
}

Bytes in_text_mode(const Bytes& bytes) {
    Bytes out;
    for (const std::byte b : bytes) {
        if (b == std::byte{'\n'}) out.push_back(std::byte{'\r'});
        out.push_back(b);
    }
    return out;
}

const Bytes source = demo::kelp_harbour(1), revision0 = demo::kelp_harbour(0), target = demo::night_tides(source);
const Bytes bps = hotstitch::create(source, target);
const Bytes ups = hotstitch::create(source, target, {.format = PatchFormat::ups});
const Bytes ips = hotstitch::create(source, target, {.format = PatchFormat::ips});
const Bytes odd_header(512, std::byte{0x5A});
const Bytes zeros_at_the_end = joined(ByteView(source).first(900'000), Bytes(148'576));

Bytes in_windows(bool checks) {
    CreateOptions options{.format = PatchFormat::vcdiff};
    options.vcdiff = {.window = 64 << 10, .lzma = false, .window_checks = checks};
    return hotstitch::create(source, target, options);
}
const Bytes vcdiff = in_windows(true), unchecked = in_windows(false);
const Bytes one_window = hotstitch::create(source, target, {.format = PatchFormat::vcdiff});

Bytes changed_from(std::size_t at) {
    Bytes file = source;
    for (std::size_t i = at; i < file.size(); ++i) file[i] ^= std::byte{0x55};
    return file;
}

/// A BPS patch for another form of the source.
Bytes patch_for(const Bytes& other) {
    return hotstitch::create(other, joined(other, bytes_of("Night Tides")));
}

struct Situation {
    const char* situation;
    Bytes patch, file;
    const char* reason;
    std::string reading;  ///< "" where none passes
    bool with_checks = false;
    Bytes other{};         ///< a patch at hand
    std::uint64_t size{};  ///< of the right source, by a checks file
    std::string name{};    ///< under which the file is kept
};

/// As literals only.
Bytes lz10_of(ByteView content) {
    Bytes out{std::byte{0x10}, static_cast<std::byte>(content.size()), static_cast<std::byte>(content.size() >> 8),
              std::byte{0}};
    for (std::size_t i = 0; i < content.size(); ++i) {
        if (i % 8 == 0) out.push_back(std::byte{0});
        out.push_back(content[i]);
    }
    return out;
}

/// Discs of consoles, and what goes around in their place.
std::vector<Situation> console_situations() {
    constexpr std::uint64_t full = 1'459'978'240, one_layer = 4'699'979'776;
    const demo::TableDiscOptions as_full{.total = 4 << 20, .gap = 512};
    demo::TableDiscOptions american = as_full, older = as_full;
    american.id = "GKHE99", older.revision = 0;
    const Bytes disc = demo::table_disc(demo::console_files(1), as_full);
    const Bytes later =
        demo::partition_disc(demo::table_disc(demo::console_files(1), {.later = true, .total = 10 * 0x7C00}));
    Bytes scrubbed = disc, shortened = disc;
    std::fill(scrubbed.begin() + (1 << 20), scrubbed.end(), std::byte{0});
    std::copy_n(bytes_of("NKIT").begin(), 4, shortened.begin() + 0x200);
    const Bytes rvz = joined(bytes_of(std::string_view("RVZ\1", 4)), odd_header),
                ecm = joined(bytes_of(std::string_view("ECM\0", 4)), odd_header);
    const Bytes cartridge = demo::file_cartridge(demo::console_files(1), false),
                trimmed = demo::file_cartridge(demo::console_files(1), true);
    const Bytes patch = patch_for(disc);
    return {
        {"a compressed copy of a disc, which is read", patch, demo::deflate_copy(disc, 2048), "archive", ""},
        {"a disc in a loader's container", patch, demo::drive_copy(disc, 16), "archive", ""},
        {"a compressed copy of a disc in a form that is not read", patch, rvz, "compressed-copy", ""},
        {"the same under the name of a plain image", patch, rvz, "other-than-named", "", false, {}, 0, "kelp.iso"},
        {"a copy of a disc whose error correction was taken out", patch, ecm, "compressed-copy", ""},
        {"a shortened copy of a disc", patch, shortened, "compressed-copy", ""},
        {"IPS with nothing to check by, on a compressed copy", ips, rvz, "compressed-copy", ""},
        {"a scrubbed copy of a disc", patch, scrubbed, "scrubbed-copy", ""},
        {"a copy of a disc that was cut after its last file", ips, disc, "trimmed-copy", "", false, {}, full},
        {"the right file, with something of a loader behind it", patch, joined(disc, demo::junk(700, 8)), "more-behind",
         ""},
        {"a disc for the earlier console, a patch for the later one",
         ips,
         disc,
         "other-generation",
         "",
         false,
         {},
         one_layer},
        {"a disc for the later console, a patch for the earlier one",
         ips,
         later,
         "other-generation",
         "",
         false,
         {},
         full},
        {"another region of a console's disc", patch, demo::table_disc(demo::console_files(1), american),
         "other-content", ""},
        {"another revision of a console's disc", patch, demo::table_disc(demo::console_files(0), older),
         "other-content", ""},
        {"a disc with a table of files, a patch for one of them", patch_for(demo::console_files(1)[4].content), disc,
         "for-a-part", ""},
        {"an executable under the name of a disc image",
         patch,
         demo::pe(),
         "other-than-named",
         "",
         false,
         {},
         0,
         "kelp.iso"},
        {"a trimmed cartridge with files", patch_for(cartridge), trimmed, "trimmed",
         fmt::format("with {} of padding put back", counted(cartridge.size() - trimmed.size(), "byte", "bytes"))},
    };
}

/// Two bytes by hand, where both revisions have others; nothing but the old values says for which it is.
const Bytes edit_list = [] {
    std::string text = "hotstitch-edits = 1\n";
    for (const std::size_t at : {std::size_t{0x7FDB}, std::size_t{0x7FDC}}) {
        const unsigned old = std::to_integer<unsigned>(source[at]);
        text += fmt::format("[[edit]]\nat = {}\nold = \"{:02x}\"\nnew = \"{:02x}\"\n", at, old, old ^ 0x10);
    }
    return makers::bytes(text);
}();

std::vector<Situation> situations() {
    const Bytes unpacked(source.begin(), source.begin() + 3000), plain_exe = demo::pe(),
                                                                 signed_exe = demo::pe({.certificates = 0x108});
    Bytes edited_drive = demo::mega_drive_kelp(), edited_64 = demo::nintendo_64_kelp(),
          interleaved_drive = demo::interleaved(edited_drive);
    edited_drive[0x4000] ^= std::byte{1};
    edited_64[0x2000] ^= std::byte{1};
    interleaved_drive.erase(interleaved_drive.begin(), interleaved_drive.begin() + 512);
    const auto headered = [](std::size_t n, const Bytes& rom) { return joined(Bytes(n, std::byte{0x77}), rom); };
    // A disc in plain sectors, in whole ones of both modes, and with sound behind it.
    const Bytes disc = demo::disc({{"SYSTEM.CNF", makers::bytes("BOOT = cdrom:\\SLES_990.01;1\n")},
                                   {"DATA/BERTHS.BIN", Bytes(source.begin(), source.begin() + 5000)}}),
                mode1 = demo::in_sectors(disc, 1), mode2 = demo::in_sectors(disc, 2), sound = demo::sound(1),
                with_sound = joined(mode2, sound), cut = Bytes(disc.begin(), disc.end() - 2048),
                table(source.begin(), source.begin() + 5000);
    const auto windows_for = [](const Bytes& other) {
        return hotstitch::create(other, joined(other, bytes_of("Night Tides")), {.format = PatchFormat::vcdiff});
    };
    return {
        {"a disc in whole sectors (mode 1), a patch for its user data", patch_for(disc), mode1, "whole-sectors",
         "as the user data of its sectors, 2,048 bytes of each"},
        {"a disc in whole sectors (mode 2), a patch for its user data", patch_for(disc), mode2, "whole-sectors",
         "as the user data of its sectors, 2,048 bytes of each"},
        {"the same, the patch checks what it makes only", windows_for(disc), mode2, "whole-sectors",
         "as the user data of its sectors, 2,048 bytes of each"},
        {"the user data of a disc, a patch for whole sectors of mode 1", patch_for(mode1), disc, "user-data-alone",
         "in whole sectors of 2,352 bytes, mode 1"},
        {"the user data of a disc, a patch for whole sectors of mode 2", patch_for(mode2), disc, "user-data-alone",
         "in whole sectors of 2,352 bytes, mode 2"},
        {"a disc with sound behind the data track, a patch for its user data", patch_for(disc), with_sound,
         "whole-sectors", "as the user data of its sectors, 2,048 bytes of each"},
        {"a disc with sound behind the data track, a patch for the data track", patch_for(mode2), with_sound,
         "other-tracks-too", "as its data track alone, without what follows it"},
        {"a disc with sound behind the data track, a patch for the sound", patch_for(sound), with_sound, "other-track",
         ""},
        {"a data track with its pregap in front", patch_for(disc), joined(Bytes(plain_pregap), disc), "pregap",
         "without its pregap of 150 sectors"},
        {"a data track in whole sectors with its pregap in front", patch_for(mode2), joined(Bytes(whole_pregap), mode2),
         "pregap", "without its pregap of 150 sectors"},
        {"a data track, a patch for one with its pregap", patch_for(joined(Bytes(plain_pregap), disc)), disc, "pregap",
         "with an empty pregap of 150 sectors"},
        {"a disc image that is cut short", patch_for(disc), cut, "cut-disc", ""},
        {"a disc image in whole sectors that is cut short", patch_for(mode2), Bytes(mode2.begin(), mode2.end() - 3000),
         "cut-disc", ""},
        {"a disc, a patch for a file on it", patch_for(table), disc, "for-a-part", ""},
        {"a disc in whole sectors, a patch for a file on it", patch_for(table), mode1, "for-a-part", ""},
        {"another edition of a disc", patch_for(demo::disc({{"A.BIN", Bytes(9000)}})), disc, "other-size", ""},
        {"the right file", bps, source, "fits", ""},
        {"a copier header of 512 bytes in front", bps, demo::with_front_header(source), "front-header",
         "without its front header of 512 bytes"},
        {"a front header of 16 bytes", bps, headered(16, source), "front-header",
         "without its front header of 16 bytes"},
        {"a front header of 64 bytes", bps, headered(64, source), "front-header",
         "without its front header of 64 bytes"},
        {"a front header of 128 bytes", bps, headered(128, source), "front-header",
         "without its front header of 128 bytes"},
        {"an odd front header of 300 bytes", bps, headered(300, source), "front-header",
         "without its front header of 300 bytes"},
        {"a patch for a headered copy, an empty header missing", patch_for(demo::with_front_header(source)), source,
         "no-front-header", "with an empty front header of 512 bytes added"},
        {"a patch for a headered copy, a filled header missing", patch_for(joined(odd_header, source)), source,
         "no-front-header", ""},
        {"each two bytes exchanged", bps, exchanged(source, 1), "byte-order",
         "with each two bytes exchanged (another byte order)"},
        {"each four bytes reversed", bps, exchanged(source, 3), "byte-order",
         "with each four bytes reversed (another byte order)"},
        {"the halves of each four bytes exchanged", bps, exchanged(source, 2), "byte-order",
         "with the halves of each four bytes exchanged (another byte order)"},
        {"padded with FF to twice the size", bps, joined(source, Bytes(1 << 20, std::byte{0xFF})), "padded",
         "without its last 1,048,576 bytes of padding"},
        {"padded with 00", bps, joined(source, Bytes(4096)), "padded", "without its last 4,096 bytes of padding"},
        {"trimmed of FF", bps, Bytes(source.begin(), source.end() - 65'536), "trimmed",
         "with 65,536 bytes of padding put back"},
        {"trimmed of 00", patch_for(zeros_at_the_end),
         Bytes(zeros_at_the_end.begin(), zeros_at_the_end.begin() + 983'040), "trimmed",
         "with 65,536 bytes of padding put back"},
        {"changed by a transfer in text mode", bps, in_text_mode(source), "line-ends", "with its line ends restored"},
        {"already patched", bps, target, "already-patched", ""},
        {"already patched, with a front header", bps, demo::with_front_header(target), "already-patched", ""},
        {"a UPS patch and its target", ups, target, "already-patched", ""},
        {"another revision", bps, revision0, "other-content", ""},
        {"another mod applied before", bps, demo::fog_signals(source), "other-content", ""},
        {"another mod that doubled the file", bps, demo::longer_berths(source), "other-size", ""},
        {"another revision with a front header", bps, demo::with_front_header(revision0), "front-header-and-more", ""},
        {"a download that broke off", bps, Bytes(source.begin(), source.begin() + 700'001), "cut-short", ""},
        {"half a file", bps, Bytes(revision0.begin(), revision0.begin() + 524'288), "other-size", ""},
        {"an empty file", bps, {}, "empty", ""},
        {"a web page", bps, joined(bytes_of("<!DOCTYPE html><title>Kelp Harbour</title>"), {}), "web-page", ""},
        {"a pointer of a version-control store", bps,
         joined(bytes_of("version 1\noid sha256:4d7a\nsize 1048576\n"), {}), "pointer", ""},
        {"a zip archive", bps, joined(bytes_of("PK\3\4"), odd_header), "archive", ""},
        {"a gzip-compressed copy", bps, joined(bytes_of("\x1F\x8B\x08"), odd_header), "archive", ""},
        {"a patch in the place of the game", bps, ips, "is-a-patch", ""},
        {"a patch of another format in the place of the game", bps, joined(bytes_of("KELPDELTA\1\2\3"), {}),
         "is-a-patch", ""},
        {"an edit list whose old values stand elsewhere", edit_list, revision0, "other-value", ""},
        {"an edit list, and its file behind a front header", edit_list, demo::with_front_header(source), "front-header",
         "without its front header of 512 bytes"},
        {"an edit list for a file that has it already", edit_list, hotstitch::apply_in_memory(edit_list, source).target,
         "already-patched", ""},
        {"IPS with nothing to check by", ips, revision0, "cannot-be-known", ""},
        {"IPS with nothing to check by, on a web page", ips, joined(bytes_of("<html><body>Kelp Harbour</body>"), {}),
         "web-page", ""},
        {"IPS with nothing to check by, on a text", ips, joined(bytes_of("Kelp Harbour: how to play\n"), {}),
         "other-kind", ""},
        {"IPS with nothing to check by, on another patch", ips, bps, "is-a-patch", ""},
        {"IPS with nothing to check by, on nothing", ips, {}, "empty", ""},
        {"IPS with a checks file, a front header", ips, demo::with_front_header(source), "front-header",
         "without its front header of 512 bytes", true},
        {"IPS with a checks file, another revision", ips, revision0, "other-content", "", true},
        {"an add-on, the patch it builds on at hand", patch_for(target), source, "needs-other-patch", "", false, bps},
        {"an add-on to an IPS patch at hand", patch_for(target), source, "needs-other-patch", "", false, ips},
        {"an add-on, and not even the source of the patch it builds on", patch_for(target), revision0,
         "needs-other-patch", "", false, bps},
        {"another mod applied before, its patch at hand", bps, demo::fog_signals(source), "other-patch-applied", "",
         false, hotstitch::create(source, demo::fog_signals(source))},
        {"an interleaved dump", hotstitch::create(demo::mega_drive_kelp(), edited_drive),
         demo::interleaved(demo::mega_drive_kelp()), "interleaved",
         "de-interleaved, without its front header of 512 bytes"},
        {"a patch for an interleaved dump without a front header", patch_for(interleaved_drive),
         demo::mega_drive_kelp(), "interleaved", "interleaved in blocks of 16 KiB"},
        {"a Nintendo 64 ROM in another byte order", hotstitch::create(demo::nintendo_64_kelp(), edited_64),
         demo::with_words_reversed(demo::nintendo_64_kelp()), "byte-order",
         "with each four bytes reversed (another byte order)"},
        {"VCDIFF, the right file", vcdiff, source, "fits", ""},
        {"VCDIFF, another revision", vcdiff, revision0, "some-windows-right", ""},
        {"VCDIFF, changed from a point on", vcdiff, changed_from(700'000), "right-to-a-point", ""},
        {"VCDIFF in one window, another revision", one_window, revision0, "no-window-right", ""},
        {"VCDIFF, a front header", vcdiff, demo::with_front_header(source), "front-header",
         "without its front header of 512 bytes"},
        {"VCDIFF, each two bytes exchanged", vcdiff, exchanged(source, 1), "byte-order",
         "with each two bytes exchanged (another byte order)"},
        {"VCDIFF, a file cut short", vcdiff, Bytes(source.begin(), source.begin() + 700'000), "too-short", ""},
        {"VCDIFF, already patched", vcdiff, target, "already-patched", ""},
        {"VCDIFF without any checks", unchecked, revision0, "cannot-be-known", ""},
        {"an LZ10-packed copy", patch_for(unpacked), lz10_of(unpacked), "archive", ""},
        {"a signed copy of an executable", patch_for(plain_exe), signed_exe, "mended-copy", ""},
        {"an executable with a flag set", patch_for(plain_exe),
         makers::mended(plain_exe, {{"large-address-aware", ""}}), "mended-copy", ""},
        {"an executable that looks packed", patch_for(plain_exe), demo::packed_pe(), "looks-packed", ""},
        {"UPS, each two bytes exchanged", ups, exchanged(source, 1), "byte-order",
         "with each two bytes exchanged (another byte order)"},
    };
}

struct Found {
    std::string reason, text, reading, next;
};

Found found_for(const Situation& s) {
    Checks checks;
    if (s.size != 0) checks.source = {.size = s.size, .crc32 = Crc32{0}};
    if (s.with_checks) checks = {{}, digest(MemorySource(source), {}), digest(MemorySource(target), {})};
    const auto patch = open_patch(s.patch);
    const Fit answer = fit(*patch, MemorySource(s.file), checks);
    if (answer.answer == FitAnswer::fits) return {"fits", "every check is right", "", "apply it"};
    if (answer.answer == FitAnswer::already_patched)
        return {"already-patched", "the file is what the patch makes", "",
                "use it as it is, or start from the original"};
    // Without checks, only what the file is can speak against it.
    if (answer.answer == FitAnswer::unknown && patch->facts().source.empty() && patch->facts().checked_windows == 0 &&
        s.size == 0)
        if (const auto implausible = implausible_source(*patch, MemorySource(s.file), s.name))
            return {std::string(implausible->reasons.front().code), words_for(implausible->reasons.front()), "",
                    words_for_next(*implausible)};
    const auto other = s.other.empty() ? nullptr : open_patch(s.other);
    DiagnoseOptions options{.checks = checks};
    options.name = s.name;
    if (other) options.others.push_back({"the other patch", other.get()});
    const Diagnosis diagnosis = diagnose(*patch, s.file, options);
    // What the file says it is comes last, and with every misfit that no reading explains.
    if (s.file == revision0 && diagnosis.reasons.size() > 1) {
        EXPECT_TRUE(words_for(diagnosis.reasons.back()).ends_with("revision 0, for the Super Nintendo (SNES)"))
            << s.situation;
    }
    const Reason& first = diagnosis.reasons.front();
    return {std::string(first.code), words_for(first), diagnosis.reading ? words_for(*diagnosis.reading) : "",
            words_for_next(diagnosis)};
}

TEST(Diagnose, EverySituationOfTheTable) {
    std::string page =
        "# Why a patch does not fit\n\n"
        "Written by `HOTSTITCH_WRITE_DOCS=1` and the test `Diagnose.EverySituationOfTheTable`, which checks it in "
        "every run. The reason's\n"
        "code is stable; it is the same in `--json`. Harmless readings are used by `apply` unasked (not with "
        "`--as-is`).\n\n"
        "| situation | reason | what is said | next step |\n| --- | --- | --- | --- |\n";
    std::vector<Situation> all = situations();
    for (Situation& s : console_situations()) all.push_back(std::move(s));
    for (const Situation& s : all) {
        const Found found = found_for(s);
        EXPECT_EQ(found.reason, s.reason) << s.situation;
        EXPECT_EQ(found.reading, s.reading) << s.situation;
        page += fmt::format("| {} | `{}` | {} | {} |\n", s.situation, found.reason, found.text, found.next);
    }
    EXPECT_GE(all.size(), 80U);
    const std::filesystem::path path = std::filesystem::path(DOCS_FOLDER) / "diagnosis.md";
    if (std::getenv("HOTSTITCH_WRITE_DOCS") != nullptr) std::ofstream(path) << page;
    EXPECT_TRUE(text_of(contents(path)) == page) << "write it anew with HOTSTITCH_WRITE_DOCS=1";
}

/// Too large for the table: nothing of it is in memory.
TEST(Diagnose, ACopyLongerThanItsDisc) {
    const Bytes begin = demo::table_disc(demo::console_files(1), {.total = 1 << 20});
    const MemorySource kept(begin);
    const JoinedSource file({borrowed(kept), std::make_shared<FilledSource>(std::byte{1}, 1'460'000'000)});
    const Diagnosis diagnosis =
        diagnose(*open_patch(ips), file, {.checks = {{}, {.size = 1000, .crc32 = Crc32{0}}, {}}});
    EXPECT_EQ(diagnosis.reasons.front().code, "longer-than-disc");
    EXPECT_NE(words_for(diagnosis.reasons.back()).find("Kelp Harbour, Europe, revision 1, GKHP99"), std::string::npos);
}

TEST(CliDiagnosis, HarmlessReadingsAreUsedAndSaid) {
    const TemporaryFolder folder;
    folder.put("headered.smc", joined(odd_header, source));
    folder.put("swapped.v64", exchanged(source, 1));
    folder.put("padded.sfc", joined(source, Bytes(4096)));
    folder.put("p.bps", bps);
    const auto run = [&](std::vector<std::string> arguments) { return run_tool(arguments, {.folder = folder.path()}); };
    const ToolResult result = run({"apply", "headered.smc", "p.bps", "-o", "a.smc"});
    EXPECT_EQ(result.code, 0) << result.err;
    EXPECT_NE(result.out.find("without its front header of 512 bytes"), std::string::npos) << result.out;
    EXPECT_TRUE(contents(folder / "a.smc") == target);
    EXPECT_EQ(run({"apply", "headered.smc", "p.bps", "-o", "b.smc", "--keep-representation"}).code, 0);
    EXPECT_TRUE(contents(folder / "b.smc") == joined(odd_header, target));
    EXPECT_EQ(run({"apply", "swapped.v64", "p.bps", "-o", "c.z64"}).code, 0);
    EXPECT_TRUE(contents(folder / "c.z64") == target);
    const ToolResult as_is = run({"apply", "headered.smc", "p.bps", "-o", "d.smc", "--as-is"});
    EXPECT_EQ(as_is.code, 1);
    const ToolResult padded = run({"apply", "padded.sfc", "p.bps", "-o", "d.sfc"});
    EXPECT_EQ(padded.code, 0) << padded.err;
    EXPECT_NE(padded.out.find("without its last 4,096 bytes of padding"), std::string::npos) << padded.out;
    EXPECT_TRUE(contents(folder / "d.sfc") == target);
    EXPECT_EQ(run({"apply", "padded.sfc", "p.bps", "-o", "e.sfc", "--as-is"}).code, 1);
    folder.put("text.sfc", in_text_mode(source));
    const ToolResult damaged = run({"apply", "text.sfc", "p.bps", "-o", "e.sfc", "--json"});
    EXPECT_EQ(damaged.code, 1) << "what a transfer has damaged is not mended on the quiet";
    EXPECT_EQ(damaged.json()["reasons"][0]["code"], "line-ends");
    folder.put("shelf/deep/right.sfc", source);
    folder.put("shelf/wrong.sfc", demo::kelp_harbour(0));
    folder.put("shelf/notes.txt", "tides");
    const ToolResult searched = run({"verify", "p.bps", "shelf", "--json"});
    EXPECT_EQ(searched.code, 0);
    ASSERT_EQ(searched.json()["sources"].size(), 1U);
    EXPECT_EQ(searched.json()["sources"][0]["path"], "shelf/deep/right.sfc");
    EXPECT_EQ(searched.json()["others"], 2);
    std::filesystem::remove(folder / "shelf/deep/right.sfc");
    EXPECT_EQ(run({"verify", "p.bps", "shelf"}).code, 1);
    std::filesystem::create_directory(folder / "bare");
    EXPECT_EQ(run({"verify", "p.bps", "bare"}).code, 2);
    const ToolResult verified = run({"verify", "p.bps", "headered.smc", "padded.sfc", "--json"});
    EXPECT_EQ(verified.code, 0);
    EXPECT_EQ(verified.json()["sources"][0]["answer"], "fits");
    EXPECT_EQ(verified.json()["sources"][0]["reading"]["code"], "without-front-header 512");
    EXPECT_EQ(verified.json()["sources"][1]["reading"]["code"], "without-padding 4096");
}

TEST(CliDiagnosis, OtherPatchesAtHandAreTried) {
    const TemporaryFolder folder;
    folder.put("kelp.sfc", source);
    folder.put("night.bps", bps);
    folder.put("addon.bps", patch_for(target));
    const auto run = [&](std::vector<std::string> arguments) {
        arguments.push_back("--json");
        return run_tool(arguments, {.folder = folder.path()}).json();
    };
    const auto alone = run({"apply", "kelp.sfc", "addon.bps", "-o", "a.sfc"});
    EXPECT_EQ(alone["reasons"][0]["code"], "needs-other-patch") << alone;
    EXPECT_NE(alone["next"][0].get<std::string>().find("apply night.bps first"), std::string::npos) << alone;
    EXPECT_EQ(run({"verify", "addon.bps", "kelp.sfc"})["sources"][0]["reasons"][0]["code"], "needs-other-patch");
    // In the wrong order, in another folder than the patch that is needed.
    std::filesystem::create_directory(folder / "mods");
    std::filesystem::rename(folder / "addon.bps", folder / "mods/addon.bps");
    const auto swapped = run({"apply", "kelp.sfc", "mods/addon.bps", "night.bps", "-o", "a.sfc"});
    EXPECT_EQ(swapped["reasons"][0]["code"], "needs-other-patch") << swapped;
    EXPECT_EQ(run({"apply", "kelp.sfc", "night.bps", "mods/addon.bps", "-o", "a.sfc"})["answer"], "made");
}

}  // namespace
}  // namespace hotstitch
