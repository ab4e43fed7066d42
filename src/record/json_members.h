// SPDX-License-Identifier: MIT
// Members of plain structs in our JSON files: what is empty is not written, and what is not known is refused.
#pragma once

#include <set>
#include <string>
#include <vector>

#include "hotstitch/fields.h"
#include "hotstitch/part.h"
#include "hotstitch/text.h"
#include "record/digests_json.h"

namespace hotstitch {

std::string_view code_of(Room room) noexcept;
std::optional<Room> room_from(std::string_view code) noexcept;

class JsonWriter {
public:
    explicit JsonWriter(OrderedJson& out) : out_(out) {}

    void operator()(const char* key, const std::string& text) {
        if (!text.empty()) out_[key] = as_utf8(text);
    }
    void operator()(const char* key, bool flag) {
        if (flag) out_[key] = true;
    }
    void operator()(const char* key, std::uint64_t number) {
        if (number != 0) out_[key] = number;
    }
    void operator()(const char* key, const std::optional<bool>& flag) {
        if (flag) out_[key] = *flag;
    }
    void operator()(const char* key, Room room) {
        if (room != Room::any) out_[key] = code_of(room);
    }
    void operator()(const char* key, const Digests& digests) {
        if (!digests.empty()) out_[key] = digests_to_json(digests);
    }
    void operator()(const char* key, const std::vector<std::string>& texts) {
        for (const std::string& text : texts) out_[key].push_back(as_utf8(text));
    }
    void operator()(const char* key, const std::vector<FieldSetting>& fields) {
        for (const FieldSetting& field : fields)
            out_[key].push_back({{"field", as_utf8(field.selector)}, {"value", as_utf8(field.value)}});
    }

private:
    OrderedJson& out_;
};

/// Fills the members that are there; all throw Error(damaged) for a value of another type.
class JsonReader {
public:
    /// `document`, `member`: for errors, "recipe", "steps".
    JsonReader(const OrderedJson& object, std::string_view document, std::string_view member)
        : object_(object), document_(document), member_(member) {
        if (!object.is_object()) broken_document(document, member, "it is no object");
    }

    void operator()(const char* key, std::string& text) {
        if (const OrderedJson* const value = find(key)) text = text_of(*value, key);
    }
    void operator()(const char* key, bool& flag) {
        if (const OrderedJson* const value = find(key)) flag = flag_of(*value, key);
    }
    void operator()(const char* key, std::uint64_t& number) {
        const OrderedJson* const value = find(key);
        if (value == nullptr) return;
        if (!value->is_number_unsigned()) broken_document(document_, key, "it is no whole number");
        number = value->get<std::uint64_t>();
    }
    void operator()(const char* key, std::optional<bool>& flag) {
        if (const OrderedJson* const value = find(key)) flag = flag_of(*value, key);
    }
    void operator()(const char* key, Room& room) {
        const OrderedJson* const value = find(key);
        if (value == nullptr) return;
        const auto found = room_from(text_of(*value, key));
        if (!found) broken_document(document_, key, "this is no room");
        room = *found;
    }
    void operator()(const char* key, Digests& digests) {
        if (find(key) != nullptr) digests = digests_from_json(object_, key, document_);
    }
    void operator()(const char* key, std::vector<std::string>& texts) {
        for (const OrderedJson& value : list(key)) texts.push_back(text_of(value, key));
    }
    void operator()(const char* key, std::vector<FieldSetting>& fields) {
        for (const OrderedJson& value : list(key)) {
            JsonReader one(value, document_, key);
            FieldSetting& field = fields.emplace_back();
            one("field", field.selector), one("value", field.value);
            one.finish();
        }
    }

    /// A member that somebody else reads.
    void knows(std::string_view key) { known_.emplace(key); }
    /// Null: it is not there.
    const OrderedJson* find(std::string_view key) {
        known_.emplace(key);
        const auto found = object_.find(key);
        return found == object_.end() ? nullptr : &*found;
    }
    /// The values of an array; none where it is not there.
    const OrderedJson& list(std::string_view key) {
        static const OrderedJson none = OrderedJson::array();
        const OrderedJson* const value = find(key);
        if (value != nullptr && !value->is_array()) broken_document(document_, key, "it is no list");
        return value == nullptr ? none : *value;
    }
    /// Throws Error(damaged) for a member that nobody asked for.
    void finish() const {
        for (const auto& [key, value] : object_.items())
            if (!known_.contains(key)) broken_document(document_, key, "nothing goes by this name here");
    }

private:
    std::string text_of(const OrderedJson& value, std::string_view key) const {
        if (!value.is_string()) broken_document(document_, key, "it is no text");
        return from_utf8(value.get_ref<const std::string&>());
    }
    bool flag_of(const OrderedJson& value, std::string_view key) const {
        if (!value.is_boolean()) broken_document(document_, key, "it is neither true nor false");
        return value.get<bool>();
    }

    const OrderedJson& object_;
    const std::string_view document_, member_;
    std::set<std::string, std::less<>> known_;
};

}  // namespace hotstitch
