// SPDX-License-Identifier: MIT
// TOML texts that strangers write: maps, edit lists. The library behind it is known to document.cc alone.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "hotstitch/bytes.h"
#include "hotstitch/error.h"

namespace hotstitch {

/// A text is no longer than this, and has no more values: 64 MiB hold what is made of it.
inline constexpr std::size_t longest_toml = std::size_t{8} << 20, most_toml_values = 200'000;

/// A value of a document, or none; small, and valid as long as the document.
class TomlValue {
public:
    enum class Kind { none, boolean, integer, real, string, array, table, other };
    TomlValue() = default;
    Kind kind() const noexcept;
    unsigned line() const noexcept;  ///< from 1
    bool is(Kind wanted) const noexcept { return kind() == wanted; }
    explicit operator bool() const noexcept { return !is(Kind::none); }

    /// Throw error() where the value is of another kind or out of range.
    std::int64_t integer(std::int64_t least = INT64_MIN, std::int64_t most = INT64_MAX) const;
    std::uint64_t offset() const { return static_cast<std::uint64_t>(integer(0)); }
    double real() const;  ///< an integer too
    bool boolean() const;
    std::string string() const;
    std::vector<TomlValue> array() const;
    /// In the order of the text.
    std::vector<std::pair<std::string, TomlValue>> table() const;

    /// Error(damaged) that names the document and the line.
    Error error(const std::string& message) const;

private:
    friend class TomlDocument;
    friend class TomlTable;
    TomlValue(const void* node, const std::string* name) : node_(node), name_(name) {}
    const void* node_ = nullptr;
    const std::string* name_ = nullptr;
};

class TomlDocument {
public:
    /// `name`: as errors call it. Throws Error(damaged) with the line, Error(limit), Error(unsupported) where the
    /// library was built without TOML.
    TomlDocument(std::string_view text, std::string name);
    ~TomlDocument();
    TomlValue root() const noexcept;
    const std::string& name() const noexcept;

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// A table while it is read: whoever is done asks for what nobody asked for, so that a misspelt key is told.
class TomlTable {
public:
    /// `what`: for people, "a table", "a field". Throws value.error() where it is no table.
    TomlTable(TomlValue value, std::string what);
    TomlValue find(std::string_view key);
    /// Throws error() where it is not there.
    TomlValue need(std::string_view key);
    std::string text(std::string_view key) { return find(key) ? find(key).string() : std::string(); }
    bool flag(std::string_view key) { return find(key) && find(key).boolean(); }
    /// Throws error() for a key that find() was not called with, naming those that it was.
    void finish() const;
    Error error(const std::string& message) const { return value_.error(message); }
    const TomlValue& value() const noexcept { return value_; }

private:
    TomlValue value_;
    std::string what_;
    std::vector<std::string> known_;
};

/// A byte string of hexadecimal digits; spaces and line ends are read over. Throws value.error().
Bytes hex_bytes(const TomlValue& value);

}  // namespace hotstitch
