// SPDX-License-Identifier: MIT
// Executables: what they say of themselves, their parts, their mends; checked by the compilers' own tools, and by
// running what comes out.
#include <gtest/gtest.h>
#include <sys/utsname.h>

#include <algorithm>
#include <cstdlib>

#include "executables.h"
#include "hotstitch/change_list.h"
#include "hotstitch/error.h"
#include "hotstitch/identity.h"
#include "hotstitch/mend.h"
#include "hotstitch/part.h"
#include "hotstitch/place.h"
#include "lib/rom_makers.h"
#include "lib/run_tool.h"
#include "lib/temporary_folder.h"

namespace hotstitch {
namespace {

using demo::put_number;

/// What the mends change, as "offset:count" of each stretch; or the error's code, and its field behind a slash.
std::string changed_places(ByteView file, const std::vector<MendRequest>& requests, const MendOptions& options = {}) {
    try {
        const Bytes made = changed(file, plan_mends(file, requests, options).change);
        std::string text;
        for (const ByteRange& range : differing_ranges(file, made))
            text += (text.empty() ? "" : " ") + std::to_string(range.offset) + ":" + std::to_string(range.length);
        return text;
    } catch (const Error& error) {
        return std::string(name_of(error.code())) + "/" + error.field();
    }
}

const Bytes added_code = [] {
    Bytes code(40);
    for (std::size_t i = 0; i < code.size(); ++i) code[i] = static_cast<std::byte>(i + 1);
    return code;
}();

MendOptions options_with(Allowed allow = {}) {
    MendOptions options;
    options.allow = allow;
    options.content = [](const std::string& name) { return name == "code.bin" ? added_code : Bytes(); };
    return options;
}

TEST(Executables, MendExactlyTheirBytes) {
    constexpr std::size_t characteristics = 0x80 + 22, checksum = demo::pe_optional + 64, dll = demo::pe_optional + 70;
    const Bytes plain = demo::pe(), wide = demo::pe({.is_64_bit = true}), library = demo::pe({.dll = true}),
                fixed = demo::pe({.relocations = false}), unsummed = demo::pe({.checksum = false}),
                signed_one = demo::pe({.certificates = 0x108}), packed = demo::packed_pe();
    const auto at = [](std::size_t place, int length = 1) {
        return std::to_string(place) + ":" + std::to_string(length);
    };
    const struct {
        const char* what;
        const Bytes& file;
        MendRequest mend;
        Allowed allow;
        std::string changes;
    } rows[] = {
        {"the checksum comes along", plain, {"large-address-aware", ""}, {}, at(characteristics) + " " + at(checksum)},
        {"on is the default", plain, {"large-address-aware", "off"}, {}, ""},
        {"a checksum of 0 stays", unsummed, {"large-address-aware", "on"}, {}, at(characteristics)},
        {"unless asked for by name", unsummed, {"checksum", ""}, {}, at(checksum, 2)},
        {"a right checksum", plain, {"checksum", ""}, {}, ""},
        {"no effect on a DLL", library, {"large-address-aware", ""}, {}, ""},
        {"dynamic base", plain, {"dynamic-base", "on"}, {}, at(checksum) + " " + at(dll)},
        {"without relocations", fixed, {"dynamic-base", "on"}, {}, "unsupported/dynamic-base"},
        {"nx", plain, {"nx", ""}, {}, at(checksum + 1) + " " + at(dll + 1)},
        {"32 bit", plain, {"high-entropy", ""}, {}, ""},
        {"without dynamic base", wide, {"high-entropy", ""}, {}, ""},
        {"neither on nor off", plain, {"nx", "maybe"}, {}, "usage/"},
        {"entry", plain, {"entry", "0x401010"}, {}, at(demo::pe_optional + 16) + " " + at(checksum)},
        {"entry in data", plain, {"entry", "0x402000"}, {}, "usage/entry"},
        {"entry nowhere", plain, {"entry", "harbour"}, {}, "usage/"},
        {"signed", signed_one, {"nx", ""}, {}, "refused/signature"},
        {"signed, allowed", signed_one, {"nx", ""}, {.signature = true}, at(checksum + 1) + " " + at(dll + 1)},
        {"signed, and on already", signed_one, {"large-address-aware", "off"}, {}, ""},
        {"looks packed", packed, {"nx", ""}, {}, "refused/packed"},
        {"looks packed, allowed", packed, {"nx", ""}, {.packed = true}, at(dll + 1)},
        {"no such mend", plain, {"region", "Europe"}, {}, "usage/"},
    };
    for (const auto& row : rows)
        EXPECT_EQ(changed_places(row.file, {row.mend}, options_with(row.allow)), row.changes) << row.what;
    // Taking the signature off leaves the file from before it was signed, but for the padding.
    const Bytes unsigned_again = changed(signed_one, plan_mends(signed_one, {{"remove-signature", {}}}).change);
    EXPECT_EQ(unsigned_again, plain);
    EXPECT_EQ(changed_places(plain, {{"remove-signature", {}}}), "");
    Bytes behind = signed_one;
    behind.resize(behind.size() + 8);
    EXPECT_EQ(changed_places(behind, {{"remove-signature", {}}}), "unsupported/certificate table");
    // Offers never throw, and say what is pointless.
    for (const MendOffer& offer : mends_for(library))
        EXPECT_EQ(offer.step && offer.step->reason.find("DLL") != std::string::npos,
                  offer.name == "large-address-aware");
}

TEST(Executables, SayWhatTheyAre) {
    const Identity pe = identify(demo::pe({.certificates = 0x108, .overlay = 5}));
    EXPECT_EQ(pe.platform, "pe");
    EXPECT_EQ(fact_of(pe, "machine"), "32-bit x86");
    EXPECT_EQ(fact_of(pe, "signature").substr(0, 3), "yes");
    EXPECT_EQ(pe.entry, 0x401000U);
    EXPECT_EQ(pe.checks.front().state, CheckState::right);
    EXPECT_FALSE(pe.looks_packed);
    EXPECT_GT(pe.segments.at(0).entropy.value(), 2.0);
    const Identity console = identify(demo::elf({.is_64_bit = false, .machine = 8}));
    EXPECT_EQ(fact_of(console, "machine"), "MIPS");
    std::uint32_t wanted = 0;
    const Bytes file = demo::elf({.is_64_bit = false, .machine = 8});
    for (std::size_t i = 0; i + 4 <= file.size(); i += 4)
        for (unsigned b = 0; b < 4; ++b) wanted ^= std::to_integer<std::uint32_t>(file[i + b]) << (8 * b);
    EXPECT_EQ(std::stoul(std::string(fact_of(console, "xor")), nullptr, 16), wanted);
    EXPECT_EQ(fact_of(identify(demo::elf()), "xor"), "") << "of consoles only";
    EXPECT_EQ(identify(demo::ps_x()).region, "Europe");
    EXPECT_EQ(identify(demo::dol()).platform, "dol");
    Bytes dos = demo::pe();
    put_number(dos, 0x3C, 0, 4), put_number(dos, 0x18, 0x1C, 2);
    EXPECT_EQ(identify(dos).platform, "");
    EXPECT_EQ(open_container(MemorySource(dos)), nullptr);

    const struct {
        Bytes file;
        const char* address;
        std::uint64_t offset;
    } places[] = {{demo::pe(), "0x401010", 0x210},
                  {demo::pe({.is_64_bit = true}), "0x140002001", 0x401},
                  {demo::elf({.big_endian = true}), "0x402004", 0x2004},
                  {demo::ps_x(), "0x80010010", 0x810},
                  {demo::dol(), "0x80005004", 0x144}};
    for (const auto& row : places) {
        const Identity identity = identify(row.file);
        EXPECT_EQ(place_at(identity, row.file, row.address).file_offset, row.offset);
        char offset[32];
        std::snprintf(offset, sizeof offset, "+%llx", static_cast<unsigned long long>(row.offset));
        EXPECT_EQ(place_at(identity, row.file, offset).address, row.address);
        for (const char* none : {"0x10", "+ffffff", "Kelp"})
            EXPECT_THROW(place_at(identity, row.file, none), Error) << none;
    }
    EXPECT_THROW(place_at(identify(demo::elf()), demo::elf(), "0x402180"), Error) << "memory only";
}

TEST(Executables, PartsArePutBackInTheirPlace) {
    const Bytes pe = demo::pe({.certificates = 0x108, .overlay = 8});
    const MemorySource source(pe);
    const auto container = open_container(source);
    std::string names;
    for (const Part& part : container->parts()) names += part.name + " " + std::to_string(*part.offset) + ",";
    EXPECT_EQ(names, "headers 0,.text 512,.data 1024,overlay 1536,signature 1544,");
    const Part text = find_part(*container, ".TEXT");
    EXPECT_THROW(container->put(text, borrowed(MemorySource(added_code)), {}), Error) << "signed";
    const Bytes made =
        changed(pe, container->put(text, borrowed(MemorySource(added_code)), {.allow = {.signature = true}}).change);
    EXPECT_TRUE(std::equal(added_code.begin(), added_code.end(), made.begin() + 0x200));
    EXPECT_EQ(made[0x200 + added_code.size()], std::byte{0}) << "filled up";
    EXPECT_EQ(identify(made).checks.front().state, CheckState::right) << "kept right";
    EXPECT_THROW(container->put(text, borrowed(MemorySource(Bytes(0x201))), {.allow = {.signature = true}}), Error)
        << "too long";
}

TEST(Executables, BrokenHeadersAreRefusedWithTheirPlace) {
    constexpr std::size_t section = demo::pe_optional + 96 + 128;
    const struct {
        const char* what;
        Bytes file;
        std::size_t at, width;
        std::uint64_t value;
        const char* field;
        std::uint64_t offset;
    } rows[] = {
        {"PE header outside", demo::pe(), 0x3C, 4, 0xFFFFFFF0, "place of the PE header", 0x3C},
        {"optional header too short", demo::pe(), 0x80 + 20, 2, 8, "size of the optional header", 0x80 + 20},
        {"optional header past the end", demo::pe(), 0x80 + 20, 2, 0xFFFF, "PE optional header", demo::pe_optional},
        {"magic", demo::pe(), demo::pe_optional, 2, 0x107, "magic of the optional header", demo::pe_optional},
        {"directories", demo::pe(), demo::pe_optional + 92, 4, 0xFFFFFFFF, "number of directories",
         demo::pe_optional + 92},
        {"sections past the end", demo::pe(), 0x80 + 6, 2, 0xFFFF, "section table", section},
        {"section outside", demo::pe(), section + 20, 4, 0xFFFFFFFF, "section .text", section + 16},
        {"sections overlap", demo::pe(), section + 40 + 20, 4, 0x300, "offset", section + 60},
        {"memory wraps", demo::pe(), section + 8, 4, 0xFFFFFFFF, "virtual size", section + 8},
        {"certificates outside", demo::pe({.certificates = 8}), demo::pe_optional + 96 + 36, 4, 0xFFFFFFFF,
         "certificate table", demo::pe_optional + 96 + 32},
        {"ELF class", demo::elf(), 4, 1, 3, "class", 4},
        {"ELF byte order", demo::elf(), 5, 1, 0, "byte order", 5},
        {"program headers outside", demo::elf(), 32, 8, UINT64_MAX - 7, "program headers", 32},
        {"too many", demo::elf(), 56, 2, 0xFFFE, "program headers", 32},
        {"size of an entry", demo::elf(), 54, 2, 32, "size of a program header", 54},
        {"segment outside", demo::elf(), 64 + 32, 8, UINT64_MAX, "segment 0", 64},
        {"smaller in memory", demo::elf(), 64 + 40, 8, 1, "size in memory", 64},
        {"wraps in memory", demo::elf(), 64 + 16, 8, UINT64_MAX - 8, "size in memory", 64},
        {"wraps in 32 bits of memory", demo::elf({.is_64_bit = false}), 52 + 8, 4, 0xFFFFFFF8, "size in memory", 52},
        {"section headers outside", demo::elf(), 40, 8, 0x10000, "first section header", 8448},
        {"big-endian, 32 bit", demo::elf({.is_64_bit = false, .big_endian = true}), 28, 4, 0xFFFFFFFF,
         "program headers", 28},
        {"PS-X size", demo::ps_x(), 0x1C, 4, 0xFFFFFFFF, "program", 0x1C},
    };
    for (const auto& row : rows) {
        Bytes file = row.file;
        const bool big = row.offset == 28;
        put_number(file, row.at, row.value, row.width, big ? std::endian::big : std::endian::little);
        EXPECT_FALSE(identify(file).warnings.empty()) << row.what;
        for (const bool parts : {true, false}) try {
                if (parts)
                    open_container(MemorySource(file))->parts();
                else
                    plan_mends(file, {{"entry", "0x401000"}});
                ADD_FAILURE() << row.what << " passed";
            } catch (const Error& error) {
                EXPECT_EQ(error.field(), row.field) << row.what << ": " << error.what();
                EXPECT_EQ(error.offset(), row.offset) << row.what;
            }
    }
    // Whatever is cut off, nothing but an error comes of it.
    for (const Bytes& whole : {demo::pe(), demo::elf(), demo::elf({.is_64_bit = false}), demo::ps_x(), demo::dol()})
        for (std::size_t size = 0; size < whole.size(); size += 7) {
            const Bytes cut = makers::first(whole, size);
            identify(cut);
            mends_for(cut);
        }
}

TEST(Executables, NoSegmentReachesPastTheEndOfMemory) {
    MendOptions options;
    options.content = [](const std::string&) { return Bytes(0x2000, std::byte{1}); };
    for (const auto& [is_64_bit, call] :
         {std::pair{true, "code.bin@0xfffffffffffff000"}, {false, "code.bin@0xfffff000"}})
        EXPECT_EQ(changed_places(demo::elf({.is_64_bit = is_64_bit}), {{"add-segment", call}}, options),
                  "usage/address");
}

/// With the segment put in, the file is read again: its content stands at the address, all else as before.
TEST(Executables, SegmentsAreAdded) {
    for (const bool is_64_bit : {true, false})
        for (const bool big_endian : {true, false})
            for (const auto& [spare, room] : {std::pair{true, false}, {false, true}, {false, false}}) {
                const Bytes file = demo::elf({is_64_bit, big_endian, 20, spare, room});
                const MendPlan plan =
                    plan_mends(file, {{"add-segment", "code.bin@0x500123:rw"}, {"entry", "0x401004"}}, options_with());
                const Bytes made = changed(file, plan.change);
                const Identity after = identify(made);
                ASSERT_TRUE(after.warnings.empty()) << after.warnings.front();
                const Place place = place_at(after, made, "0x500123");
                EXPECT_TRUE(std::equal(added_code.begin(), added_code.end(),
                                       made.begin() + static_cast<std::ptrdiff_t>(place.file_offset)));
                EXPECT_EQ(place.file_offset % 0x1000, 0x123U) << "aligned as its address";
                EXPECT_EQ(after.entry, 0x401004U);
                EXPECT_EQ(after.segments.size(), spare || room ? 3U : 4U);
                std::uint64_t last = 0;
                for (const MemorySegment& s : after.segments) EXPECT_GE(s.address, last), last = s.address;
                EXPECT_EQ(place_at(after, made, "0x402004").file_offset, 0x2004U);
            }
    const Bytes elf = demo::elf();
    for (const char* taken :
         {"code.bin@0x400000", "code.bin@0x4021f0", "code.bin@0x402300", "code.bin@0xffffffffffffffff"})
        EXPECT_EQ(changed_places(elf, {{"add-segment", taken}}, options_with()).substr(0, 6), "usage/") << taken;
    for (const char* wrong : {"code.bin", "@0x500000", "none.bin@0x500000", "code.bin@harbour", "code.bin@0x500000:rq"})
        EXPECT_EQ(changed_places(elf, {{"add-segment", wrong}}, options_with()).substr(0, 6), "usage/") << wrong;
    EXPECT_EQ(changed_places(elf, {{"segment-flags", "1:rx"}}), "124:1") << "flags of the second program header";
    EXPECT_EQ(changed_places(elf, {{"segment-flags", "2:rx"}}), "usage/");
    EXPECT_EQ(changed_places(elf, {{"segment-flags", "rx"}}), "usage/");
    EXPECT_EQ(changed_places(demo::ps_x(), {{"entry", "0x80010020"}}), "16:1");

    const Bytes dol = demo::dol();
    for (const auto& row : {std::pair{"code.bin@0x80400000", "text 1"}, {"code.bin@0x80400000:rw", "data 1"}}) {
        const Bytes made = changed(dol, plan_mends(dol, {{"add-section", row.first}}, options_with()).change);
        EXPECT_EQ(made.size(), dol.size() + 64) << "in whole granules";
        const Identity after = identify(made);
        EXPECT_EQ(place_at(after, made, "0x80400004").file_offset, dol.size() + 4);
        EXPECT_TRUE(std::any_of(after.segments.begin(), after.segments.end(),
                                [&](const auto& s) { return s.name == row.second; }));
    }
    for (const char* wrong : {"code.bin@0x80003100", "code.bin@0x80400004", "code.bin@0x10000000"})
        EXPECT_EQ(changed_places(dol, {{"add-section", wrong}}, options_with()), "usage/address") << wrong;
}

class RealExecutables : public testing::Test {
protected:
    /// What a command prints; the test fails when it does.
    std::string shell(const std::string& command) const {
        const std::string call = "cd '" + folder.path().string() + "' && { " + command + "; } >out.txt 2>&1";
        EXPECT_EQ(std::system(call.c_str()), 0) << command << "\n" << text_of(contents(folder / "out.txt"));
        return std::string(text_of(contents(folder / "out.txt")));
    }
    ToolResult run(std::vector<std::string> arguments) const { return run_tool(arguments, {.folder = folder.path()}); }
    std::string answer(std::vector<std::string> arguments) const {
        arguments.emplace_back("--json");
        const ToolResult result = run(std::move(arguments));
        return std::to_string(result.code) + " " + result.json()["answer"].get<std::string>();
    }
    TemporaryFolder folder;
};

TEST_F(RealExecutables, OfWindowsAsTheCompilersToolsSeeThem) {
    folder.put("kelp.c", "#include <stdio.h>\nint main(void) { puts(\"Kelp Harbour\"); return 0; }\n");
    shell("i686-w64-mingw32-gcc kelp.c -o kelp32.exe && x86_64-w64-mingw32-gcc kelp.c -o kelp64.exe");
    for (const std::string name : {"kelp32.exe", "kelp64.exe"}) {
        ASSERT_EQ(answer({"mend", name, "large-address-aware=on", "nx=off", "-o", "a.exe", "--replace"}), "0 mended");
        const std::string dump = shell("x86_64-w64-mingw32-objdump -p a.exe");
        EXPECT_NE(dump.find("large address aware"), std::string::npos) << dump.substr(0, 600);
        EXPECT_EQ(dump.find("NX_COMPAT"), std::string::npos);
        // The linker sums as we do: with another wrong sum filled in, mending gives the linker's again.
        Bytes wrong = contents(folder / name);
        const std::size_t at = std::to_integer<std::size_t>(wrong[0x3C]) + 24 + 64;
        put_number(wrong, at, 0x12345, 4);
        folder.put("wrong.exe", wrong);
        EXPECT_EQ(run({"describe", "wrong.exe", "--json"}).json()["files"][0]["checks"][0]["state"], "wrong");
        ASSERT_EQ(answer({"mend", "wrong.exe", "checksum", "-o", "right.exe", "--replace"}), "0 mended");
        EXPECT_EQ(contents(folder / "right.exe"), contents(folder / name));
    }
}

TEST_F(RealExecutables, SignedOnesAndTheirSignature) {
    folder.put("kelp.c", "int main(void) { return 0; }\n");
    shell(
        "i686-w64-mingw32-gcc -s kelp.c -o kelp.exe && "
        "openssl req -x509 -newkey rsa:2048 -nodes -subj /CN=Kelp -keyout key.pem -out cert.pem -days 2 && "
        "osslsigncode sign -certs cert.pem -key key.pem -in kelp.exe -out signed.exe && "
        "osslsigncode remove-signature -in signed.exe -out wanted.exe");
    EXPECT_EQ(answer({"mend", "signed.exe", "large-address-aware", "-o", "a.exe"}), "1 refused");
    EXPECT_EQ(answer({"mend", "signed.exe", "large-address-aware", "-o", "a.exe", "--allow", "signature"}), "0 mended");
    EXPECT_EQ(answer({"mend", "signed.exe", "remove-signature", "-o", "b.exe"}), "0 mended");
    EXPECT_EQ(contents(folder / "b.exe"), contents(folder / "wanted.exe"));
    // Whatever breaks it says so, once.
    ASSERT_EQ(answer({"take", "signed.exe:.text", "-o", "text.bin"}), "0 taken");
    Bytes text = contents(folder / "text.bin");
    text.at(8) ^= std::byte{1};
    folder.put("text.bin", text);
    EXPECT_EQ(answer({"put", "signed.exe", ".text=text.bin", "-o", "c.exe"}), "1 refused");
    for (const std::vector<std::string>& call : std::vector<std::vector<std::string>>{
             {"put", "signed.exe", ".text=text.bin"}, {"mend", "signed.exe", "large-address-aware", "nx=off"}}) {
        std::vector<std::string> all = call;
        all.insert(all.end(), {"-o", "d.exe", "--allow", "signature", "--replace", "--json"});
        const auto warnings = run(all).json()["warnings"];
        EXPECT_EQ(std::count_if(warnings.begin(), warnings.end(),
                                [](const auto& w) { return w.dump().find("signature") != std::string::npos; }),
                  1)
            << warnings;
    }
    // The checksum alone is not signed.
    Bytes stale = contents(folder / "signed.exe");
    put_number(stale, std::to_integer<std::size_t>(stale[0x3C]) + 24 + 64, 1, 4);
    folder.put("stale.exe", stale);
    ASSERT_EQ(answer({"mend", "stale.exe", "checksum", "-o", "c.exe"}), "0 mended");
    EXPECT_EQ(contents(folder / "c.exe"), contents(folder / "signed.exe"));
}

TEST_F(RealExecutables, OfThisSystemRunWithASegmentMore) {
    utsname machine;
    ASSERT_EQ(uname(&machine), 0);
    if (std::string_view(machine.machine) != "x86_64") GTEST_SKIP() << "the code to be added is for 64-bit x86";
    folder.put("kelp.c", "#include <stdio.h>\nint main(void) { puts(\"Kelp Harbour\"); return 0; }\n");
    // Prints a line and goes on where the program began.
    folder.put("fog.s",
               "mov $1, %eax\nmov $1, %edi\nlea text(%rip), %rsi\nmov %rdx, %r12\nmov $4, %edx\nsyscall\n"
               "mov %r12, %rdx\nmovabs $ENTRY, %rax\njmp *%rax\ntext: .ascii \"Fog\\n\"\n");
    const struct {
        const char* what;
        std::string flags;
    } rows[] = {{"at fixed addresses", "-no-pie"}, {"without libraries", "-static"}};
    for (const auto& row : rows) {
        const std::string entry =
            shell("gcc " + row.flags + " kelp.c -o kelp && readelf -hW kelp | awk '/Entry point/{printf \"%s\", $4}'");
        shell("sed s/ENTRY/" + entry +
              "/ fog.s >now.s && gcc -c now.s -o fog.o && objcopy -O binary -j .text fog.o fog.bin");
        ASSERT_EQ(
            answer({"mend", "kelp", "add-segment=fog.bin@0x10000000", "entry=0x10000000", "-o", "fog", "--replace"}),
            "0 mended")
            << row.what;
        EXPECT_EQ(shell("./fog"), "Fog\nKelp Harbour\n") << row.what;
        EXPECT_EQ(shell("readelf -lW fog | grep -c 'LOAD.*0x0*10000000 .* R E'"), "1\n") << row.what;
        EXPECT_EQ(shell("readelf -hSlW fog 2>&1 >/dev/null"), "") << "no complaint";
        // A patch of the change makes the same.
        ASSERT_EQ(answer({"mend", "kelp", "add-segment=fog.bin@0x10000000", "entry=0x10000000", "--patch", "fog.bps",
                          "--replace"}),
                  "0 mended");
        ASSERT_EQ(answer({"apply", "kelp", "fog.bps", "-o", "again", "--replace"}), "0 made");
        EXPECT_EQ(contents(folder / "again"), contents(folder / "fog"));
    }
    // Position-independent: nothing begins elsewhere, and it still runs.
    shell("gcc -pie kelp.c -o kelp");
    ASSERT_EQ(answer({"mend", "kelp", "add-segment=fog.bin@0x100000:r", "-o", "fog", "--replace"}), "0 mended");
    EXPECT_EQ(shell("./fog"), "Kelp Harbour\n");
}

}  // namespace
}  // namespace hotstitch
