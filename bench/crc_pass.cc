// SPDX-License-Identifier: MIT
// crc_pass FILE…: one CRC-32 pass over each, nothing else: what checking costs at least.
#include <cstdio>

#include "hotstitch/digest.h"
#include "hotstitch/file_io.h"

int main(int argc, char** argv) {
    for (int i = 1; i < argc; ++i)
        std::printf("%08x\n", hotstitch::digest(hotstitch::InputFile(argv[i]), {}).crc32->value);
    return 0;
}
