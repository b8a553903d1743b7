// Checked reading of JSON objects that we wrote ourselves: every member is asked for by name and
// kind. The first thing that is missing or of another kind is remembered, in words; after it all
// getters return harmless values, so that callers check once, at the end.
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "mellow/bytes.h"
#include "mellow/rate.h"
#include "mellow/vec3.h"

namespace mellow {

class JsonMembers {
  public:
    /// Parses a document whose outermost value is an object.
    explicit JsonMembers(const Bytes& text);
    JsonMembers(JsonMembers&&) noexcept;
    JsonMembers& operator=(JsonMembers&&) noexcept;
    ~JsonMembers();

    bool has(std::string_view key) const;
    /// All keys, in the order of the text.
    std::vector<std::string> keys() const;
    std::string text(std::string_view key);
    double number(std::string_view key);
    int whole(std::string_view key);
    std::int64_t long_whole(std::string_view key);
    std::size_t count(std::string_view key);  ///< a whole number, 0 or more
    bool flag(std::string_view key);
    FrameRate rate(std::string_view key);  ///< from a text such as "30000/1001"
    Vec3 vector(std::string_view key);     ///< from a list of three numbers
    std::vector<std::string> texts(std::string_view key);
    std::vector<double> numbers(std::string_view key);
    /// A list of lists of numbers.
    std::vector<std::vector<double>> rows(std::string_view key);
    /// All members by their keys, where all are texts, or numbers: one by one would look for each
    /// from the beginning.
    std::vector<std::pair<std::string, std::string>> all_texts();
    std::vector<std::pair<std::string, double>> all_numbers();
    JsonMembers object(std::string_view key);
    /// The objects of a list; none when it is not there.
    std::vector<JsonMembers> objects(std::string_view key);

    bool failed() const { return !error().empty(); }
    /// What is wrong, such as "no number \"samples\" in clips[2]"; shared by all parts of a
    /// document.
    const std::string& error() const;
    /// Remembers something else that is wrong with the value of a member.
    void fail(std::string_view key, std::string_view what);

  private:
    struct Document;
    struct Place;
    JsonMembers(std::shared_ptr<Document> document, Place place);
    std::shared_ptr<Document> document_;
    std::unique_ptr<Place> place_;
};

/// The member `key` as one of `count` values by their names.
template <class T>
T named(JsonMembers& json, std::string_view key, int count) {
    const std::string text = json.text(key);
    for (int i = 0; i < count; ++i)
        if (name(static_cast<T>(i)) == text) return static_cast<T>(i);
    json.fail(key, "\"" + text + "\"");
    return {};
}

}  // namespace mellow
