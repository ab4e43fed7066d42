// SPDX-License-Identifier: MIT
// The language of maps, docs/formats/map.md, from its text to rows. What can be known without a file is checked here;
// what hangs on one, when a map is bound to it (bound_map.cc). Tested by tests/field/map_test.cc.
#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "field/map_fit.h"
#include "field/map_places.h"
#include "hotstitch/error.h"
#include "hotstitch/part.h"
#include "toml/document.h"

namespace hotstitch {
namespace {

constexpr std::int64_t longest_field = 64 << 10;
constexpr std::size_t most_fields = 1000, most_tables = 1000;
constexpr unsigned most_patterns = 64;

/// What holds where a table or field says nothing else.
struct Defaults {
    ByteOrder order = ByteOrder::little;
    std::shared_ptr<const TextCodec> codec;
};

class MapReader {
public:
    MapReader(FieldMap& map, const OpenBeside& beside) : map_(map), beside_(beside) {}

    void read(const TomlValue& root) {
        TomlTable top(root, "a map");
        if (top.need("hotstitch-map").integer() != 1)
            throw top.find("hotstitch-map").error("this version of the language is not known").wanted("1");
        map_.title = top.text("title");
        Defaults defaults{ByteOrder::little, text_codec("ascii")};
        if (const TomlValue value = top.find("defaults")) {
            TomlTable table(value, "[defaults]");
            defaults = defaults_of(table, defaults);
            table.finish();
        }
        if (const TomlValue value = top.find("file")) read_file_keys(value, map_);
        if (const TomlValue value = top.find("words"))
            for (const auto& [name, list] : value.table()) read_words(name, list);
        if (const TomlValue value = top.find("table"))
            for (const auto& [name, table] : value.table()) read_table(name, table, defaults);
        if (const TomlValue value = top.find("check"))
            for (const TomlValue& check : value.array()) read_check(check, defaults);
        if (const TomlValue value = top.find("members"))
            for (const auto& [name, members] : value.table()) read_members(name, members, defaults);
        if (const TomlValue value = top.find("payload"))
            for (const TomlValue& payload : value.array()) read_payload(payload, defaults);
        top.finish();
    }

private:
    Defaults defaults_of(TomlTable& table, Defaults defaults) {
        if (const TomlValue order = table.find("byte-order")) defaults.order = order_of(order);
        if (const TomlValue text = table.find("text")) defaults.codec = codec_of(text);
        return defaults;
    }

    std::shared_ptr<const TextCodec> codec_of(const TomlValue& value) {
        const std::string name = value.string();
        if (auto codec = text_codec(name)) return codec;
        if (const auto known = codecs_.find(name); known != codecs_.end()) return known->second;
        if (name.find('.') == std::string::npos)
            throw value.error("this encoding is not known")
                .wanted(text_codecs() + ", or the name of a table of letters (with its extension)")
                .found(name);
        if (!beside_) throw value.error("a table of letters lies beside a map, and this map lies nowhere").found(name);
        Bytes bytes;
        try {
            bytes = beside_(name);
        } catch (const Error& error) {
            throw value.error(error.what()).found(name);
        }
        return codecs_[name] = table_codec(text_of(bytes), name);
    }

    /// Each pattern costs a look at all of the file.
    MapPlace place(const TomlValue& value, ByteOrder order) {
        MapPlace found = place_of(value, order);
        if (found.by == MapPlace::By::pattern && ++patterns_ > most_patterns)
            throw value.error(fmt::format("more than {} patterns to look for", most_patterns));
        return found;
    }

    std::vector<std::string> names_of(TomlTable& table) {
        std::vector<std::string> names;
        if (const TomlValue list = table.find("names"))
            for (const TomlValue& name : list.array()) names.push_back(name.string());
        return names;
    }

    void read_words(const std::string& name, const TomlValue& list) {
        Words& words = map_.words[name];
        for (const auto& [number, word] : list.table()) {
            const auto value = whole_from(number);
            if (!value) throw word.error("words stand behind numbers").wanted("0 = \"calm\"").found(number);
            words.emplace_back(*value, word.string());
            if (words.back().second.empty() || whole_from(words.back().second))
                throw word.error("a word is no number and not empty").found(words.back().second);
            const auto same = [&](const auto& other) {
                return other.first == *value || other.second == words.back().second;
            };
            if (std::any_of(words.begin(), words.end() - 1, same))
                throw word.error("two words for one number, or one word for two").found(words.back().second);
        }
    }

    static void check_name(const std::string& name, const TomlValue& value) {
        if (name.empty() || name.find_first_of(".[]=:*\"/") != std::string::npos)
            throw value.error("a name has no . [ ] = : * / and no quotes").found(name);
    }

    void read_table(const std::string& name, const TomlValue& value, const Defaults& defaults) {
        TomlTable in(value, "a table");
        check_name(name, value);
        if (name == "header") throw value.error("\"header\" is the file's own");
        if (map_.tables.size() == most_tables) throw value.error(fmt::format("more than {} tables", most_tables));
        const Defaults own = defaults_of(in, defaults);
        MapTable table{.name = name, .line = value.line()};
        table.at = place(in.need("at"), own.order);
        table.names = names_of(in);
        table.count = count_of(in, own.order, table.names.size());
        if (const TomlValue stride = in.find("stride"))
            table.stride = static_cast<std::uint64_t>(stride.integer(1, longest_stride));
        if (const TomlValue via = in.find("via")) {
            if (table.stride != 0) throw via.error("a table has either a stride or pointers to its records");
            table.via = number_of(via, own.order, false);
        }
        table.key = in.text("key");
        table.overlay = in.flag("overlay");
        for (const TomlValue& field : in.need("field").array()) read_field(table, field, own);
        in.finish();
        finish_table(table, value);
        map_.tables.push_back(std::move(table));
    }

    static void finish_table(MapTable& table, const TomlValue& value) {
        const bool one = table.count.by == MapCount::By::number && table.count.number <= 1;
        if (table.stride == 0 && !table.via) {
            if (!one) throw value.error("a table of several records needs their stride").wanted("stride, or via");
            table.stride = std::max<std::uint64_t>(table.reach(), 1);
        }
        if (table.count.by == MapCount::By::until && table.via)
            throw value.error("a table of pointers ends by its count, not by a pattern");
        if (!table.via && table.reach() > table.stride)
            throw value.error("a field reaches over the end of the record")
                .wanted(fmt::format("at most {} bytes, the stride", table.stride))
                .found(fmt::format("{} bytes", table.reach()));
        const MapField* const key = table.key.empty() ? nullptr : table.field(table.key);
        if (!table.key.empty() && key == nullptr)
            throw value.error("the key is no field of the table").found(table.key);
        if (table.overlay) return;
        for (std::size_t i = 0; i < table.fields.size(); ++i)
            for (std::size_t j = 0; j < i; ++j)
                if (overlap(table.fields[i], table.fields[j]))
                    throw value
                        .error(fmt::format("the fields {} and {} overlap", table.fields[j].name, table.fields[i].name))
                        .hint("if they are two ways to see the same bytes, the table is an overlay: overlay = true");
    }

    static bool overlap(const MapField& a, const MapField& b) {
        if (a.at + a.size() <= b.at || b.at + b.size() <= a.at) return false;
        const bool share = a.kind == MapField::Kind::bits && b.kind == MapField::Kind::bits && a.at == b.at &&
                           a.type->size == b.type->size && a.order == b.order;
        return !share || (a.mask() & b.mask()) != 0;
    }

    TextForm text_form(TomlTable& in, const Defaults& defaults) {
        TextForm form{.codec = defaults.codec};
        if (const TomlValue length = in.find("length"))
            form.length = static_cast<std::uint64_t>(length.integer(1, longest_field));
        if (const TomlValue end = in.find("end")) {
            form.end = hex_bytes(end);
            if (form.end->empty() || form.end->size() > 8) throw end.error("a text ends with 1 to 8 bytes");
        }
        if (const TomlValue pad = in.find("pad"))
            form.pad = static_cast<unsigned>(pad.integer(0, form.codec->unit() == 2 ? 0xFFFF : 0xFF));
        if (form.length == 0 && !form.end)
            throw in.error("a text has a length, or an end").wanted("length = 8, or end = \"00\"");
        if (form.length % form.codec->unit() != 0)
            throw in.error("the length of this text is no whole number of characters");
        return form;
    }

    void read_field(MapTable& table, const TomlValue& value, const Defaults& defaults) {
        if (table.fields.size() == most_fields) throw value.error(fmt::format("more than {} fields", most_fields));
        TomlTable in(value, "a field");
        const Defaults own = defaults_of(in, defaults);
        MapField field{.name = in.need("name").string(),
                       .at = static_cast<std::uint64_t>(in.need("at").integer(0, longest_stride)),
                       .order = own.order,
                       .line = value.line()};
        check_name(field.name, in.find("name"));
        if (table.field(field.name) != nullptr) throw value.error("two fields of one name").found(field.name);
        read_type(field, in, own);
        if (const TomlValue words = in.find("words")) {
            const auto found = map_.words.find(words.string());
            if (found == map_.words.end())
                throw words.error("there are no such words").wanted(known_words()).found(words.string());
            field.words = &found->second;
        }
        if (const TomlValue range = in.find("range")) read_range(field, range);
        in.finish();
        table.fields.push_back(std::move(field));
    }

    std::string known_words() const {
        std::string all;
        for (const auto& [name, words] : map_.words) all += (all.empty() ? "" : ", ") + name;
        return all.empty() ? "[words.NAME] in the map" : all;
    }

    void read_type(MapField& field, TomlTable& in, const Defaults& defaults) {
        const TomlValue type = in.need("type");
        const std::string name = type.string();
        if (name == "text") {
            field.kind = MapField::Kind::text;
            field.text = text_form(in, defaults);
        } else if (name == "bytes") {
            field.kind = MapField::Kind::bytes;
            field.length = static_cast<std::uint64_t>(in.need("length").integer(1, longest_field));
        } else if (name == "bits") {
            field.kind = MapField::Kind::bits;
            field.type = type_of(in.need("of"));
            if (field.type->has_sign)
                throw in.find("of").error("bits stand in a number without a sign").wanted("u8, u16, u24, u32, u64");
            field.bit = static_cast<unsigned>(in.need("bit").integer(0, 8 * field.type->size - 1));
            field.width = in.find("width")
                              ? static_cast<unsigned>(in.find("width").integer(1, 8 * field.type->size - field.bit))
                              : 1;
        } else if (name == "pointer") {
            field.kind = MapField::Kind::pointer;
            field.type = number_type(fmt::format("u{}", 8 * in.need("size").integer(1, 8)));
            if (field.type == nullptr)
                throw in.find("size").error("a pointer of this size is not known").wanted("1, 2, 3, 4 or 8 bytes");
            if (const TomlValue plus = in.find("plus")) field.plus = plus.integer();
            if (const TomlValue to = in.find("to")) {
                if (to.string() != "text")
                    throw to.error("what a pointer leads to is not known").wanted("text").found(to.string());
                field.to_text = true;
                field.text = text_form(in, defaults);
            }
        } else if ((field.type = number_type(name)) == nullptr) {
            throw type.error("this type is not known")
                .wanted(number_types() + ", bits, text, bytes, pointer")
                .found(name);
        }
    }

    static WholeNumber whole_of(const TomlValue& value) {
        const auto whole = value.is(TomlValue::Kind::string) ? whole_from(value.string())
                                                             : whole_from(std::to_string(value.integer()));
        if (!whole) throw value.error("this is no whole number").found(value.string());
        return *whole;
    }

    static void read_range(MapField& field, const TomlValue& value) {
        const std::vector<TomlValue> ends = value.array();
        if (ends.size() != 2) throw value.error("a range has two ends").wanted("[0, 50]");
        if (field.kind == MapField::Kind::text || field.kind == MapField::Kind::bytes)
            throw value.error("only numbers have a range");
        bool ordered = false;
        if (field.kind == MapField::Kind::number && field.type->real) {
            field.real_range = {ends[0].real(), ends[1].real()};
            ordered = field.real_range->first <= field.real_range->second;
        } else {
            field.range = {whole_of(ends[0]), whole_of(ends[1])};
            ordered = field.range->first <= field.range->second;
        }
        if (!ordered) throw value.error("the range's lower end comes first");
    }

    void read_check(const TomlValue& value, const Defaults& defaults) {
        constexpr std::pair<std::string_view, MapCheck::Sum> sums[] = {{"bytes", MapCheck::Sum::bytes},
                                                                       {"words-le", MapCheck::Sum::words_le},
                                                                       {"words-be", MapCheck::Sum::words_be},
                                                                       {"xor-bytes", MapCheck::Sum::xor_bytes},
                                                                       {"crc32", MapCheck::Sum::crc32},
                                                                       {"crc16", MapCheck::Sum::crc16},
                                                                       {"crc16-ccitt", MapCheck::Sum::crc16_ccitt},
                                                                       {"adler32", MapCheck::Sum::adler32}};
        TomlTable in(value, "a check");
        MapCheck check{.line = value.line()};
        check.number = {.at = in.need("at").offset(),
                        .type = type_of(in.need("type")),
                        .order = defaults_of(in, defaults).order,
                        .line = value.line()};
        const TomlValue sum = in.need("sum");
        const auto row =
            std::find_if(std::begin(sums), std::end(sums), [&](const auto& s) { return s.first == sum.string(); });
        if (row == std::end(sums))
            throw sum.error("this sum is not known")
                .wanted("bytes, words-le, words-be, xor-bytes, crc32, crc16, crc16-ccitt, adler32")
                .found(sum.string());
        check.sum = row->second;
        for (const TomlValue& range : in.need("over").array()) {
            const std::vector<TomlValue> ends = range.array();
            if (ends.size() != 2 || ends[0].offset() > ends[1].offset())
                throw range.error("a stretch is [begin, end], the end not part of it");
            check.over.emplace_back(ends[0].offset(), ends[1].offset());
        }
        in.finish();
        map_.checks.push_back(std::move(check));
    }

    void read_members(const std::string& name, const TomlValue& value, const Defaults& defaults) {
        TomlTable in(value, "a table of members");
        check_name(name, value);
        const Defaults own = defaults_of(in, defaults);
        MapMembers members{.name = name, .line = value.line()};
        members.at = place(in.need("at"), own.order);
        members.names = names_of(in);
        members.count = count_of(in, own.order, members.names.size());
        members.stride = static_cast<std::uint64_t>(in.need("stride").integer(1, longest_stride));
        members.offset = number_of(in.need("offset"), own.order);
        if (const TomlValue size = in.find("size")) members.size = number_of(size, own.order);
        if (const TomlValue stored = in.find("stored")) members.stored = number_of(stored, own.order);
        members.next = in.flag("next");
        if (!members.size && !members.stored && !members.next)
            throw value.error("the size of a member is not said").wanted("size = {…}, or next = true");
        if (const TomlValue entry = in.find("name")) {
            TomlTable field(entry, "the name of a member");
            members.entry_name = MapField{.name = "name",
                                          .at = static_cast<std::uint64_t>(field.need("at").integer(0, longest_stride)),
                                          .order = own.order,
                                          .line = entry.line()};
            const Defaults of_name = defaults_of(field, own);
            read_type(*members.entry_name, field, of_name);
            field.finish();
        }
        members.codec = in.text("codec");
        if (members.codec == "none") members.codec.clear();
        if (members.stored && members.codec.empty())
            throw value.error("a member with a stored size is packed").wanted("codec = \"…\"");
        check_codec(members.codec, in);
        if (const TomlValue align = in.find("align"))
            members.align = static_cast<std::uint64_t>(align.integer(1, longest_stride));
        if (const TomlValue pad = in.find("pad")) members.pad = static_cast<std::byte>(pad.integer(0, 255));
        in.finish();
        const std::uint64_t unit = members.offset.unit;
        members.align = std::lcm(members.align, unit);
        for (const StoredNumber* number :
             {&members.offset, members.size ? &*members.size : nullptr, members.stored ? &*members.stored : nullptr})
            if (number != nullptr && number->at + number->type->size > members.stride)
                throw map_error(map_, number->line, "this number reaches over the end of the entry");
        if (members.entry_name && members.entry_name->at + members.entry_name->size() > members.stride)
            throw map_error(map_, members.entry_name->line, "the name reaches over the end of the entry");
        map_.members.push_back(std::move(members));
    }

    static void check_codec(const std::string& name, TomlTable& in) {
        if (!name.empty() && !is_codec(name))
            throw in.find("codec").error("this codec is not known").wanted(codec_names()).found(name);
    }

    void read_payload(const TomlValue& value, const Defaults& defaults) {
        TomlTable in(value, "a payload");
        MapPayload payload{.name = in.need("name").string(), .line = value.line()};
        check_name(payload.name, in.find("name"));
        payload.at = place(in.need("at"), defaults.order);
        if (const TomlValue size = in.find("size")) {
            if (size.is(TomlValue::Kind::table))
                payload.size = number_of(size, defaults.order);
            else
                payload.fixed_size = static_cast<std::uint64_t>(size.integer(1));
        }
        payload.codec = in.need("codec").string();
        check_codec(payload.codec, in);
        in.finish();
        const auto same = [&](const MapPayload& other) { return other.name == payload.name; };
        if (std::any_of(map_.payloads.begin(), map_.payloads.end(), same))
            throw value.error("two payloads of one name").found(payload.name);
        map_.payloads.push_back(std::move(payload));
    }

    FieldMap& map_;
    const OpenBeside& beside_;
    unsigned patterns_ = 0;
    std::map<std::string, std::shared_ptr<const TextCodec>> codecs_;
};

}  // namespace

SharedMap read_map(std::string_view text, const std::string& name, const OpenBeside& beside) {
    const TomlDocument document(text, name);
    auto map = std::make_shared<FieldMap>();
    map->name = name;
    map->text = crc32(bytes_of(text));
    MapReader(*map, beside).read(document.root());
    return map;
}

}  // namespace hotstitch
