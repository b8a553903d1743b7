#include "disk/json_members.h"

#include <fmt/format.h>
#include <simdjson.h>

namespace mellow {

namespace dom = simdjson::dom;

struct JsonMembers::Document {
    dom::document content;
    std::string error;
};

struct JsonMembers::Place {
    dom::object object;
    bool there = false;
    std::string path;

    /// False, and said, when there is no such member of the wanted kind.
    template <class T>
    bool get(Document& document, std::string_view key, const char* kind, T& value) const {
        if (there && object[key].get(value) == simdjson::SUCCESS) return true;
        say(document, fmt::format("no {} \"{}\"", kind, key));
        return false;
    }
    void say(Document& document, std::string what) const {
        if (document.error.empty())
            document.error = path.empty() ? std::move(what) : fmt::format("{} in {}", what, path);
    }
    std::string below(std::string_view key) const {
        return path.empty() ? std::string(key) : fmt::format("{}.{}", path, key);
    }
};

JsonMembers::JsonMembers(const Bytes& text)
    : document_(std::make_shared<Document>()), place_(std::make_unique<Place>()) {
    const auto* from = reinterpret_cast<const char*>(text.data());
    dom::parser parser;  // keeps what it worked with; the content does not
    place_->there =
        !text.empty() &&
        parser.parse_into_document(document_->content, from, text.size()).get(place_->object) ==
            simdjson::SUCCESS;
    if (!place_->there) document_->error = "no JSON object";
}
JsonMembers::JsonMembers(std::shared_ptr<Document> document, Place place)
    : document_(std::move(document)), place_(std::make_unique<Place>(std::move(place))) {}
JsonMembers::JsonMembers(JsonMembers&&) noexcept = default;
JsonMembers& JsonMembers::operator=(JsonMembers&&) noexcept = default;
JsonMembers::~JsonMembers() = default;

bool JsonMembers::has(std::string_view key) const {
    return place_->there && place_->object[key].error() == simdjson::SUCCESS;
}
std::vector<std::string> JsonMembers::keys() const {
    std::vector<std::string> keys;
    if (place_->there)
        for (const auto member : place_->object) keys.emplace_back(member.key);
    return keys;
}
std::string JsonMembers::text(std::string_view key) {
    std::string_view value;
    place_->get(*document_, key, "text", value);
    return std::string(value);
}
std::vector<std::pair<std::string, std::string>> JsonMembers::all_texts() {
    std::vector<std::pair<std::string, std::string>> out;
    if (!place_->there) return out;
    for (const auto member : place_->object) {
        std::string_view value;
        if (member.value.get(value) != simdjson::SUCCESS) fail(member.key, "no text");
        out.emplace_back(member.key, value);
    }
    return out;
}
std::vector<std::pair<std::string, double>> JsonMembers::all_numbers() {
    std::vector<std::pair<std::string, double>> out;
    if (!place_->there) return out;
    for (const auto member : place_->object) {
        double value = 0;
        if (member.value.get(value) != simdjson::SUCCESS) fail(member.key, "no number");
        out.emplace_back(member.key, value);
    }
    return out;
}
double JsonMembers::number(std::string_view key) {
    double value = 0;
    place_->get(*document_, key, "number", value);
    return value;
}
int JsonMembers::whole(std::string_view key) {
    std::int64_t value = 0;
    if (place_->get(*document_, key, "whole number", value) && value != static_cast<int>(value))
        fail(key, fmt::format("{} is out of range", value));
    return static_cast<int>(value);
}
std::int64_t JsonMembers::long_whole(std::string_view key) {
    std::int64_t value = 0;
    place_->get(*document_, key, "whole number", value);
    return value;
}
std::size_t JsonMembers::count(std::string_view key) {
    const std::int64_t value = long_whole(key);
    if (value < 0) fail(key, fmt::format("{} is out of range", value));
    return static_cast<std::size_t>(value < 0 ? 0 : value);
}
bool JsonMembers::flag(std::string_view key) {
    bool value = false;
    place_->get(*document_, key, "true or false", value);
    return value;
}
FrameRate JsonMembers::rate(std::string_view key) {
    const std::string value = text(key);
    const auto rate = parse_rate(value);
    if (!rate) fail(key, fmt::format("\"{}\" is no rate", value));
    return rate.value_or(FrameRate{});
}
Vec3 JsonMembers::vector(std::string_view key) {
    dom::array list;
    double v[3] = {0, 0, 0};
    if (!place_->get(*document_, key, "list", list)) return {};
    std::size_t count = 0;
    for (const dom::element item : list) {
        if (count < 3 && item.get(v[count]) != simdjson::SUCCESS) count = 3;
        ++count;
    }
    if (count != 3) fail(key, "not a list of three numbers");
    return {v[0], v[1], v[2]};
}
std::vector<std::string> JsonMembers::texts(std::string_view key) {
    std::vector<std::string> out;
    dom::array list;
    if (!place_->get(*document_, key, "list", list)) return out;
    for (const dom::element item : list) {
        std::string_view text;
        if (item.get(text) != simdjson::SUCCESS) fail(key, "not a list of texts");
        out.emplace_back(text);
    }
    return out;
}
std::vector<double> JsonMembers::numbers(std::string_view key) {
    std::vector<double> out;
    dom::array list;
    if (!place_->get(*document_, key, "list", list)) return out;
    for (const dom::element item : list)
        if (item.get(out.emplace_back()) != simdjson::SUCCESS) fail(key, "not a list of numbers");
    return out;
}
std::vector<std::vector<double>> JsonMembers::rows(std::string_view key) {
    std::vector<std::vector<double>> out;
    dom::array list;
    if (!place_->get(*document_, key, "list", list)) return out;
    for (const dom::element row : list) {
        dom::array items;
        std::vector<double>& numbers = out.emplace_back();
        if (row.get(items) != simdjson::SUCCESS) fail(key, "not a list of lists");
        for (const dom::element item : items)
            if (item.get(numbers.emplace_back()) != simdjson::SUCCESS)
                fail(key, "not a list of lists of numbers");
    }
    return out;
}
JsonMembers JsonMembers::object(std::string_view key) {
    Place place{{}, false, place_->below(key)};
    place.there = place_->get(*document_, key, "object", place.object);
    return {document_, std::move(place)};
}
std::vector<JsonMembers> JsonMembers::objects(std::string_view key) {
    std::vector<JsonMembers> all;
    dom::array list;
    if (!has(key) || !place_->get(*document_, key, "list", list)) return all;
    for (const dom::element item : list) {
        Place place{{}, false, fmt::format("{}[{}]", place_->below(key), all.size())};
        place.there = item.get(place.object) == simdjson::SUCCESS;
        if (!place.there) place.say(*document_, "no object");
        all.push_back(JsonMembers(document_, std::move(place)));
    }
    return all;
}
const std::string& JsonMembers::error() const { return document_->error; }
void JsonMembers::fail(std::string_view key, std::string_view what) {
    place_->say(*document_, fmt::format("{}: {}", key, what));
}

}  // namespace mellow
