// SPDX-License-Identifier: MIT
// Texts as data files hold them, by an encoding of the trade or by a table file of the game's own. docs/formats/map.md,
// "Texts". What an encoding cannot show is written \xNN, a byte each, and a backslash is written twice, so that every
// text reads back as the bytes it came from.
#pragma once

#include <memory>
#include <string>
#include <string_view>

#include "hotstitch/bytes.h"

namespace hotstitch {

class TextCodec {
public:
    virtual ~TextCodec() = default;
    /// Bytes as UTF-8.
    virtual std::string decode(ByteView bytes) const = 0;
    /// UTF-8 as bytes. Throws Error(usage) naming the first character that the encoding does not have.
    virtual Bytes encode(std::string_view text) const = 0;
    /// Bytes of the shortest character: what fills a text up has so many.
    virtual std::size_t unit() const noexcept { return 1; }
};

/// "ascii", "utf-8", "utf-16le" …; null where there is none of this name.
std::shared_ptr<const TextCodec> text_codec(std::string_view name);
std::string text_codecs();  ///< their names, for people

/// Lines of HEX=text; empty lines and those that begin with # are read over, and where several fit, the longest wins.
/// `name`: as errors call it. Throws Error(damaged) with the line, Error(limit).
std::shared_ptr<const TextCodec> table_codec(std::string_view text, const std::string& name);

}  // namespace hotstitch
