#include "base/toml_table.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>
#include <sstream>

#include "base/text.h"

namespace mellow {
namespace {

std::string describe(const toml::node& node) {
    std::ostringstream text;
    if (node.is_table()) return "a table";
    node.visit([&](const auto& value) { text << value; });
    return text.str();
}

}  // namespace

namespace {

constexpr int kMostDots = 32, kMostBrackets = 32;

/// The line on which keys or brackets are nested more deeply than any recipe needs, 0 where there
/// is none: the parser goes down one call per level.
int too_deep(std::string_view text) {
    int line = 1, dots = 0, brackets = 0;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (c == '"' || c == '\'') {
            const bool whole = text.substr(i, 3) == std::string(3, c);
            const std::string end(whole ? 3 : 1, c);
            std::size_t at = i + end.size();
            while (at < text.size() && text.substr(at, end.size()) != end &&
                   (whole || text[at] != '\n'))
                at += c == '"' && text[at] == '\\' ? 2 : 1;
            const std::size_t last = std::min(at, text.size());
            line += static_cast<int>(std::count(text.begin() + static_cast<std::ptrdiff_t>(i),
                                                text.begin() + static_cast<std::ptrdiff_t>(last),
                                                '\n'));
            i = std::min(at + end.size() - 1, text.size() - 1);
            if (at < text.size() && !whole && text[at] == '\n') i = at - 1;
            continue;
        }
        if (c == '#') {
            while (i + 1 < text.size() && text[i + 1] != '\n') ++i;
            continue;
        }
        if (c == '.' && ++dots > kMostDots) return line;
        const bool in_key = std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' ||
                            c == '-' || c == '.' || c == ' ' || c == '\t';
        if (!in_key) dots = 0;
        if ((c == '[' || c == '{') && ++brackets > kMostBrackets) return line;
        if ((c == ']' || c == '}') && brackets > 0) --brackets;
        if (c == '\n') ++line;
    }
    return 0;
}

}  // namespace

Result<toml::table> parse_toml(std::string_view text, const std::string& file) {
    if (const int line = too_deep(text); line > 0)
        return Finding{Code::kLimit,
                       Severity::kStop,
                       Place::in(file, line),
                       "keys or brackets nested too deeply",
                       fmt::format("at most {} levels", kMostDots),
                       "mend the line"};
    try {
        return toml::parse(text, file);
    } catch (const toml::parse_error& error) {
        const auto at = error.source().begin;
        return Finding{Code::kTomlBroken,
                       Severity::kStop,
                       Place::in(file, at.line, fmt::format("column {}", at.column)),
                       std::string(error.description()),
                       "TOML 1.0 text",
                       "mend the line"};
    }
}

TomlTable::TomlTable(const toml::table& table, std::string file, std::string place,
                     std::shared_ptr<std::vector<Mistake>> mistakes,
                     std::shared_ptr<Findings> notes)
    : table_(table),
      file_(std::move(file)),
      place_(std::move(place)),
      mistakes_(std::move(mistakes)),
      notes_(std::move(notes)) {}

TomlTable::TomlTable(const toml::table& root, std::string file)
    : TomlTable(root, std::move(file), "", std::make_shared<std::vector<Mistake>>(),
                std::make_shared<Findings>()) {}

TomlTable TomlTable::within(const toml::table& table, std::string place) const {
    return {table, file_, std::move(place), mistakes_, notes_};
}

TomlTable TomlTable::inner(const toml::table& table, std::string_view key) const {
    return within(table, place_.empty() ? std::string(key) : fmt::format("{}, {}", place_, key));
}

std::string TomlTable::canonical() const {
    std::ostringstream out;
    out << toml::json_formatter(table_);
    return out.str();
}

std::vector<std::string> TomlTable::keys() const {
    std::vector<std::string> out;
    for (const auto& [key, value] : table_) out.emplace_back(key.str());
    return out;
}

Place TomlTable::where(std::string_view key) const {
    const toml::node* node = table_.get(key);
    const auto line = node != nullptr ? node->source().begin.line : table_.source().begin.line;
    // Tables that were brought in from another file say which.
    const auto& from = (node != nullptr ? node->source() : table_.source()).path;
    return Place::in(from ? *from : file_, line, place_).at(key);
}

void TomlTable::add(std::string_view key, bool missing, Finding finding) {
    if (!key.empty() && failed({key})) return;
    const toml::node* node = table_.get(key);
    const toml::source_region& region = node != nullptr ? node->source() : table_.source();
    mistakes_->push_back({&table_, std::string(key), missing, region.begin, std::move(finding)});
}

void TomlTable::fail(Code code, std::string_view key, std::string found, std::string expected,
                     std::string remedy) {
    add(key, false,
        {code, Severity::kStop, where(key), std::move(found), std::move(expected),
         std::move(remedy)});
}

void TomlTable::idle(std::string_view key, std::string why, std::string remedy) {
    if (!has(key) || failed({key})) return;
    notes_->push_back({Code::kNoEffect, Severity::kWarning, where(key),
                       fmt::format("{} changes nothing: {}", key, why), "keys that say something",
                       std::move(remedy)});
}

void TomlTable::fail(Finding finding) {
    mistakes_->push_back({&table_, "", false, table_.source().begin, std::move(finding)});
}

bool TomlTable::sound(const toml::table& table) const {
    const auto about = [](const Mistake& m, const toml::table& t) { return m.table == &t; };
    if (std::any_of(mistakes_->begin(), mistakes_->end(),
                    [&](const Mistake& m) { return about(m, table); }))
        return false;
    return std::all_of(table.begin(), table.end(), [&](const auto& member) {
        const toml::node& node = member.second;
        if (const toml::table* in = node.as_table()) return sound(*in);
        const toml::array* list = node.as_array();
        return list == nullptr || std::all_of(list->begin(), list->end(), [&](const auto& one) {
                   const toml::table* in = one.as_table();
                   return in == nullptr || sound(*in);
               });
    });
}

bool TomlTable::failed(std::initializer_list<std::string_view> keys) const {
    return std::any_of(mistakes_->begin(), mistakes_->end(), [&](const Mistake& m) {
        return m.table == &table_ && std::find(keys.begin(), keys.end(), m.key) != keys.end();
    });
}

void TomlTable::knows(std::initializer_list<std::string_view> keys) {
    known_.insert(known_.end(), keys.begin(), keys.end());
}

bool TomlTable::mistyped(std::string_view key) const {
    if (has(key)) return false;
    return std::any_of(table_.begin(), table_.end(), [&](const auto& member) {
        const std::string name(member.first.str());
        return std::find(known_.begin(), known_.end(), name) == known_.end() &&
               nearest_name(name, known_) == key;
    });
}

void TomlTable::needs(std::string_view key, std::string_view other) {
    knows({key, other});
    if (has(key) && !has(other))
        add(other, true,
            {Code::kKeyMissing, Severity::kStop, where(key), fmt::format("no key \"{}\"", other),
             fmt::format("{} beside {}", other, key),
             fmt::format("add: {} = ...   # or remove {}", other, key)});
}

const toml::node* TomlTable::find(std::string_view key, bool required, std::string_view wanted) {
    known_.emplace_back(key);
    const toml::node* node = table_.get(key);
    if (node == nullptr && required)
        add(key, true,
            {Code::kKeyMissing, Severity::kStop, where(""), fmt::format("no key \"{}\"", key),
             std::string(wanted), fmt::format("add: {} = ...", key)});
    return node;
}

std::string TomlTable::text(std::string_view key, const std::optional<std::string>& fallback) {
    const toml::node* node = find(key, !fallback, "a text");
    if (node == nullptr) return fallback.value_or("");
    if (const auto value = node->value_exact<std::string>()) {
        // What cannot be left out cannot be empty.
        if (value->empty() && !fallback) fail(Code::kValueBad, key, "\"\"", "a text that says it");
        return *value;
    }
    fail(Code::kValueBad, key, describe(*node), "a text in quotes");
    return "";
}

double TomlTable::number(std::string_view key, std::optional<double> fallback) {
    const toml::node* node = find(key, !fallback, "a number");
    if (node == nullptr) return fallback.value_or(0);
    const auto value = node->is_number() ? node->value<double>() : std::nullopt;
    if (value && std::isfinite(*value)) return *value;
    fail(Code::kValueBad, key, describe(*node), "a finite number");
    return 0;
}

std::string TomlTable::number_or_text(std::string_view key,
                                      const std::optional<std::string>& fallback) {
    const toml::node* node = find(key, !fallback, "a number or a text");
    if (node == nullptr) return fallback.value_or("");
    if (const auto value = node->value_exact<std::string>()) return *value;
    if (const auto value = node->value_exact<std::int64_t>()) return std::to_string(*value);
    if (const auto value = node->value_exact<double>()) return fmt::format("{}", *value);
    fail(Code::kValueBad, key, describe(*node), "a number or a text");
    return "";
}

bool TomlTable::flag(std::string_view key, bool fallback) {
    const toml::node* node = find(key, false, "");
    if (node == nullptr) return fallback;
    if (const auto value = node->value_exact<bool>()) return *value;
    fail(Code::kValueBad, key, describe(*node), "true or false");
    return fallback;
}

std::vector<std::string> TomlTable::texts(std::string_view key, std::vector<std::string> fallback) {
    const toml::node* node = find(key, false, "");
    if (node == nullptr) return fallback;
    std::vector<std::string> values;
    const toml::array* array = node->as_array();
    for (std::size_t i = 0; array != nullptr && i < array->size(); ++i)
        if (const auto value = array->get(i)->value_exact<std::string>()) values.push_back(*value);
    if (array == nullptr || values.size() != array->size())
        fail(Code::kValueBad, key, describe(*node), "a list of texts");
    return values;
}

std::vector<double> TomlTable::numbers(std::string_view key, std::size_t row) {
    const toml::node* node = find(key, true, "a list of numbers");
    std::vector<double> values;
    if (node == nullptr) return values;
    bool sound = true;
    const auto add = [&](const toml::node& item) {
        const auto value = item.is_number() ? item.value<double>() : std::nullopt;
        sound = sound && value && std::isfinite(*value);
        values.push_back(value.value_or(0));
    };
    const toml::array* array = node->as_array();
    for (std::size_t i = 0; array != nullptr && i < array->size(); ++i) {
        const toml::node& item = *array->get(i);
        const toml::array* inner = item.as_array();
        if (row == 1) {
            add(item);
        } else if (inner != nullptr && inner->size() == row) {
            for (const toml::node& part : *inner) add(part);
        } else {
            sound = false;
        }
    }
    if (array == nullptr || !sound)
        fail(Code::kValueBad, key, describe(*node),
             row == 1 ? "a list of numbers" : fmt::format("a list of lists of {} numbers", row));
    return values;
}

std::string TomlTable::choice(std::string_view key, const std::vector<std::string>& allowed,
                              const std::optional<std::string>& fallback) {
    std::string value = text(key, fallback);
    if (!failed({key}) && std::find(allowed.begin(), allowed.end(), value) == allowed.end())
        fail(Code::kValueBad, key, "\"" + value + "\"", suggest(value, allowed));
    return value;
}

const toml::table* TomlTable::table(std::string_view key) {
    const toml::node* node = find(key, false, "");
    if (node != nullptr && !node->is_table())
        fail(Code::kValueBad, key, describe(*node), "a table");
    return node != nullptr ? node->as_table() : nullptr;
}

std::vector<const toml::table*> TomlTable::tables(std::string_view key) {
    const toml::node* node = find(key, false, "");
    std::vector<const toml::table*> all;
    if (node == nullptr) return all;
    const toml::array* array = node->as_array();
    for (std::size_t i = 0; array != nullptr && i < array->size(); ++i)
        if (const toml::table* t = array->get(i)->as_table()) all.push_back(t);
    if (array == nullptr || all.size() != array->size())
        fail(Code::kValueBad, key, describe(*node), fmt::format("[[{}]] tables", key));
    return all;
}

namespace {

/// What a key is called that had another name before.
std::string word_of_today(const std::string& key) {
    if (key == "strip") return "arrangement";
    return key == "blend" ? "blend_shape" : std::string();
}

}  // namespace

void TomlTable::close() {
    // Keys are asked for more than once; each is suggested once.
    std::set<std::string> once;
    std::erase_if(known_, [&](const std::string& key) { return !once.insert(key).second; });
    for (const auto& [key, node] : table_) {
        const std::string name(key.str());
        if (std::find(known_.begin(), known_.end(), name) != known_.end()) continue;
        const std::string near = nearest_name(name, known_);
        std::erase_if(*mistakes_, [&](const Mistake& m) {
            const bool table_lacks = m.key.empty() && m.finding.code == Code::kKeyMissing;
            return m.table == &table_ && !near.empty() &&
                   ((m.missing && m.key == near) || table_lacks);
        });
        const std::string now = word_of_today(name);
        const bool former = std::find(known_.begin(), known_.end(), now) != known_.end();
        fail(Code::kKeyUnknown, name, fmt::format("unknown key \"{}\"", name),
             former ? fmt::format("\"{}\", as it is called now", now) : suggest(name, known_),
             former ? fmt::format("write {} for {}, also in the tables below it", now, name)
                    : "correct or remove the key");
    }
}

Status TomlTable::mistakes() const {
    std::vector<Mistake> sorted = *mistakes_;
    std::stable_sort(sorted.begin(), sorted.end(), [](const Mistake& a, const Mistake& b) {
        return std::pair(a.at.line, a.at.column) < std::pair(b.at.line, b.at.column);
    });
    Findings findings;
    for (Mistake& m : sorted) findings.push_back(std::move(m.finding));
    return findings;
}

}  // namespace mellow
