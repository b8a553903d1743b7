// Checked reading of one TOML table: every key is asked for, every type is checked, and what nobody
// asked for is an error that names the nearest known key. The first error sticks.
#pragma once

#include <toml++/toml.h>
#include <optional>
#include <string>
#include <vector>

#include "mellow/result.h"

namespace mellow {

/// Parses TOML text; the failure names `file` with line and column.
Result<toml::table> parse_toml(std::string_view text, const std::string& file);

class TomlTable {
  public:
    /// `place` names the table in messages, such as "clip \"walk\"" or "rule 3"; empty at the top.
    TomlTable(const toml::table& table, std::string file, std::string place);

    bool has(std::string_view key) const { return table_.contains(key); }
    bool is_text(std::string_view key) const { return has(key) && table_.get(key)->is_string(); }
    std::string text(std::string_view key, const std::optional<std::string>& fallback = {});
    double number(std::string_view key, std::optional<double> fallback = {});
    /// A number or a text, as text; for values such as a unit or a rate.
    std::string number_or_text(std::string_view key,
                               const std::optional<std::string>& fallback = {});
    bool flag(std::string_view key, bool fallback);
    std::vector<std::string> texts(std::string_view key, std::vector<std::string> fallback);
    /// Numbers, or rows of numbers flattened when `row` is above 1.
    std::vector<double> numbers(std::string_view key, std::size_t row = 1);
    /// One of `allowed`; anything else is an error that names the nearest.
    std::string choice(std::string_view key, const std::vector<std::string>& allowed,
                       const std::optional<std::string>& fallback = {});
    const toml::table* table(std::string_view key);
    std::vector<const toml::table*> tables(std::string_view key);

    /// A table inside this one, in the same file; hand its outcome to take().
    TomlTable inner(const toml::table& table, std::string_view key) const;
    /// Remembers the error of an inner table, unless there is one already.
    void take(const Status& status) {
        if (!status.ok() && !error_) error_ = status.failure();
    }

    /// Remembers an error about a value of this table, unless there is one already.
    void fail(Code code, std::string_view key, std::string found, std::string expected,
              std::string remedy = {});
    /// "file:line, place, key" of a key for messages.
    std::string where(std::string_view key) const;
    /// The first error, or one about keys nobody asked for.
    Status done();

  private:
    const toml::node* find(std::string_view key, bool required, std::string_view wanted);

    const toml::table& table_;
    std::string file_, place_;
    std::vector<std::string> known_;
    std::optional<Finding> error_;
};

}  // namespace mellow
