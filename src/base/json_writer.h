// JSON text, written value after value as it is made: no tree of it ever stands in memory.
//
// A thin face of RapidJSON's streaming writer, which is compiled once, behind it. Texts that are no
// UTF-8 are written with U+FFFD in place of each byte that is wrong, so that what comes out is JSON
// (RFC 8259) whatever goes in; numbers that are not finite are written as null.
//
// Thread rule: one writer, one thread.
#pragma once

#include <concepts>
#include <functional>
#include <memory>
#include <span>
#include <string>
#include <string_view>

namespace mellow {

class JsonWriter {
  public:
    /// kCompact without any white space; kIndented with one member a line, two spaces a level.
    enum class Form { kCompact, kIndented };

    /// Keeps the text, for text().
    explicit JsonWriter(Form form = Form::kCompact);
    /// Hands the text over in pieces; finish() hands over the last one.
    JsonWriter(Form form, std::function<void(std::string_view)> sink);
    JsonWriter(JsonWriter&&) noexcept;
    ~JsonWriter();

    JsonWriter& begin_object();
    JsonWriter& end_object();
    JsonWriter& begin_array();
    JsonWriter& end_array();
    JsonWriter& key(std::string_view name);

    JsonWriter& value(std::string_view text);
    JsonWriter& value(const char* text) { return value(std::string_view(text)); }
    JsonWriter& value(const std::string& text) { return value(std::string_view(text)); }
    /// The shortest text that reads back as the same number; whole numbers end in ".0".
    JsonWriter& value(double number);
    JsonWriter& value(std::same_as<bool> auto flag) { return truth(flag); }
    JsonWriter& value(std::integral auto number) requires(!std::same_as<decltype(number), bool>) {
        return whole(static_cast<long long>(number));
    }
    /// A list of numbers as glTF files hold them: the shortest text that reads back as the same
    /// single or double precision number, whole ones without a point.
    JsonWriter& numbers(std::span<const float> list);
    JsonWriter& numbers(std::span<const double> list);
    JsonWriter& numbers(std::span<const int> list);
    /// A value that is JSON text already.
    JsonWriter& raw(std::string_view json);
    /// The members of an object that is JSON text already, into the object that is open. False when
    /// it is no JSON object; the members up to the fault are then written.
    bool members_of(std::string_view json);

    /// `key` and `value` in one.
    JsonWriter& member(std::string_view name, const auto& v) { return key(name).value(v); }
    /// The same, left out when it is empty.
    JsonWriter& text_member(std::string_view name, std::string_view text) {
        return text.empty() ? *this : member(name, text);
    }
    JsonWriter& raw_member(std::string_view name, std::string_view json) {
        return json.empty() ? *this : key(name).raw(json);
    }
    /// An object under `name`; `fill` writes its members.
    template <class Fill>
    JsonWriter& object(std::string_view name, Fill&& fill) {
        key(name).begin_object();
        fill();
        return end_object();
    }
    /// A list under `name`; `write` writes one value for each item.
    template <class Items, class Write>
    JsonWriter& list(std::string_view name, const Items& items, Write&& write) {
        key(name).begin_array();
        for (const auto& item : items) write(item);
        return end_array();
    }
    /// A list of values under `name`.
    template <class Items>
    JsonWriter& list(std::string_view name, const Items& items) {
        return list(name, items, [this](const auto& item) { this->value(item); });
    }

    /// The text so far, where no sink takes it.
    const std::string& text() const;
    /// The same, of a writer that is used up.
    std::string take_text();
    /// Hands what is left to the sink, after a line break.
    void finish();

  private:
    JsonWriter& truth(bool flag);
    JsonWriter& whole(long long number);

    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace mellow
