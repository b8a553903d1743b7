#include "base/json_writer.h"

#include <fmt/format.h>
#include <rapidjson/memorystream.h>
#include <rapidjson/prettywriter.h>
#include <rapidjson/reader.h>
#include <rapidjson/stringbuffer.h>
#include <rapidjson/writer.h>

#include <algorithm>
#include <cmath>

namespace mellow {
namespace {

namespace rj = rapidjson;

constexpr std::size_t kPiece = 64 * 1024;

/// `text` with U+FFFD for each byte that cannot be UTF-8.
std::string as_utf8(std::string_view text) {
    std::string out;
    while (!text.empty()) {
        rj::MemoryStream in(text.data(), text.size());
        rj::StringBuffer one;
        if (rj::UTF8<>::Validate(in, one)) {
            out.append(text, 0, in.Tell());
            text.remove_prefix(in.Tell());
        } else {
            out += "\xEF\xBF\xBD";
            text.remove_prefix(1);
        }
    }
    return out;
}

bool plain(std::string_view text) {
    return std::all_of(text.begin(), text.end(),
                       [](char c) { return static_cast<unsigned char>(c) < 0x80; });
}

/// Text that stands in JSON as it is: no control characters, quotes or backslashes.
bool stands_as_it_is(std::string_view text) {
    return std::all_of(text.begin(), text.end(), [](char c) {
        return static_cast<unsigned char>(c) >= 0x20 && static_cast<unsigned char>(c) < 0x7f &&
               c != '"' && c != '\\';
    });
}

}  // namespace

struct JsonWriter::State {
    /// Where RapidJSON puts its characters.
    struct Text {
        using Ch = char;
        std::string text;
        std::function<void(std::string_view)> sink;

        void Put(char c) { text.push_back(c); }
        void Flush() {}
    };

    /// Puts what is JSON already at once: RapidJSON goes by single characters.
    struct Compact : rj::Writer<Text> {
        using rj::Writer<Text>::Writer;
        Text& begin(rj::Type type) {
            Prefix(type);
            return *os_;
        }
    };
    struct Indented : rj::PrettyWriter<Text> {
        using rj::PrettyWriter<Text>::PrettyWriter;
        Text& begin(rj::Type type) {
            PrettyPrefix(type);
            return *os_;
        }
    };

    Text out;
    // One of the two; PrettyWriter hides what it overrides, so both stand here.
    std::unique_ptr<Compact> compact;
    std::unique_ptr<Indented> indented;
    fmt::memory_buffer digits;

    State(Form form, std::function<void(std::string_view)> sink) {
        out.sink = std::move(sink);
        if (form == Form::kCompact) {
            compact = std::make_unique<Compact>(out);
        } else {
            indented = std::make_unique<Indented>(out);
            indented->SetIndent(' ', 2);
        }
    }

    template <class Call>
    void with(Call&& call) {
        if (compact)
            call(*compact);
        else
            call(*indented);
        if (out.sink && out.text.size() >= kPiece) flush();
    }
    void flush() {
        out.sink(out.text);
        out.text.clear();
    }
    void raw(std::string_view json, rj::Type type = rj::kObjectType) {
        with([&](auto& w) { w.begin(type).text.append(json); });
    }
    void string(std::string_view text, bool key) {
        if (stands_as_it_is(text)) {
            with([&](auto& w) {
                std::string& to = w.begin(rj::kStringType).text;
                to += '"';
                to.append(text);
                to += '"';
            });
            return;
        }
        if (!plain(text)) return string_of(as_utf8(text), key);
        string_of(text, key);
    }
    void string_of(std::string_view text, bool key) {
        const auto size = static_cast<rj::SizeType>(text.size());
        // RapidJSON wants a pointer even to nothing.
        const char* from = text.empty() ? "" : text.data();
        with([&](auto& w) { key ? w.Key(from, size) : w.String(from, size); });
    }
    template <class T>
    void numbers(std::span<const T> list) {
        with([](auto& w) { w.StartArray(); });
        for (const T v : list) {
            digits.clear();
            fmt::format_to(std::back_inserter(digits), "{}", v);
            raw({digits.data(), digits.size()}, rj::kNumberType);
        }
        with([](auto& w) { w.EndArray(); });
    }
};

JsonWriter::JsonWriter(Form form) : JsonWriter(form, nullptr) {}
JsonWriter::JsonWriter(Form form, std::function<void(std::string_view)> sink)
    : state_(std::make_unique<State>(form, std::move(sink))) {}
JsonWriter::JsonWriter(JsonWriter&&) noexcept = default;
JsonWriter::~JsonWriter() = default;

JsonWriter& JsonWriter::begin_object() {
    state_->with([](auto& w) { w.StartObject(); });
    return *this;
}
JsonWriter& JsonWriter::end_object() {
    state_->with([](auto& w) { w.EndObject(); });
    return *this;
}
JsonWriter& JsonWriter::begin_array() {
    state_->with([](auto& w) { w.StartArray(); });
    return *this;
}
JsonWriter& JsonWriter::end_array() {
    state_->with([](auto& w) { w.EndArray(); });
    return *this;
}
JsonWriter& JsonWriter::key(std::string_view name) {
    state_->string(name, true);
    return *this;
}
JsonWriter& JsonWriter::value(std::string_view text) {
    state_->string(text, false);
    return *this;
}
JsonWriter& JsonWriter::value(double number) {
    if (!std::isfinite(number)) {
        state_->with([](auto& w) { w.Null(); });
        return *this;
    }
    std::string text = fmt::format("{}", number);
    if (text.find_first_of(".e") == std::string::npos) text += ".0";
    state_->raw(text, rj::kNumberType);
    return *this;
}
JsonWriter& JsonWriter::truth(bool flag) {
    state_->with([&](auto& w) { w.Bool(flag); });
    return *this;
}
JsonWriter& JsonWriter::whole(long long number) {
    state_->with([&](auto& w) { w.Int64(number); });
    return *this;
}
JsonWriter& JsonWriter::numbers(std::span<const float> list) {
    state_->numbers(list);
    return *this;
}
JsonWriter& JsonWriter::numbers(std::span<const double> list) {
    state_->numbers(list);
    return *this;
}
JsonWriter& JsonWriter::numbers(std::span<const int> list) {
    state_->numbers(list);
    return *this;
}
JsonWriter& JsonWriter::raw(std::string_view json) {
    state_->raw(json);
    return *this;
}

namespace {

/// Hands what a parser meets to a writer, but for the outermost braces.
struct Members {
    JsonWriter& out;
    int depth = 0;

    bool Null() { return out.raw("null"), depth > 0; }
    bool Bool(bool b) { return out.value(b), depth > 0; }
    bool RawNumber(const char* text, rj::SizeType size, bool) {
        return out.raw({text, size}), depth > 0;
    }
    bool String(const char* text, rj::SizeType size, bool) {
        return out.value(std::string_view(text, size)), depth > 0;
    }
    bool Key(const char* text, rj::SizeType size, bool) { return out.key({text, size}), true; }
    bool StartObject() {
        if (depth++ > 0) out.begin_object();
        return true;
    }
    bool EndObject(rj::SizeType) {
        if (--depth > 0) out.end_object();
        return true;
    }
    bool StartArray() {
        if (depth++ == 0) return false;
        out.begin_array();
        return true;
    }
    bool EndArray(rj::SizeType) {
        --depth;
        out.end_array();
        return true;
    }
    // Never called: numbers come as text.
    bool Int(int) { return false; }
    bool Uint(unsigned) { return false; }
    bool Int64(std::int64_t) { return false; }
    bool Uint64(std::uint64_t) { return false; }
    bool Double(double) { return false; }
};

}  // namespace

bool JsonWriter::members_of(std::string_view json) {
    if (json.find_first_not_of(" \t\r\n") == json.npos ||
        json[json.find_first_not_of(" \t\r\n")] != '{')
        return false;
    const std::string text(json);
    rj::StringStream in(text.c_str());
    rj::Reader reader;
    Members members{*this};
    constexpr unsigned kFlags = rj::kParseNumbersAsStringsFlag | rj::kParseIterativeFlag;
    return !reader.Parse<kFlags>(in, members).IsError();
}

const std::string& JsonWriter::text() const { return state_->out.text; }
std::string JsonWriter::take_text() { return std::move(state_->out.text); }

void JsonWriter::finish() {
    state_->out.text += '\n';
    if (state_->out.sink) state_->flush();
}

}  // namespace mellow
