// Checked reading of one TOML table: every key is asked for, every type is checked, and what nobody
// asked for is an error that names the nearest known key. All mistakes of a file are collected, one
// for each key at most, and handed out in the order they stand in it.
#pragma once

#include <toml++/toml.h>

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "mellow/result.h"

namespace mellow {

/// Parses TOML text; the failure names `file` with line and column.
Result<toml::table> parse_toml(std::string_view text, const std::string& file);

class TomlTable {
  public:
    /// The whole of a file.
    TomlTable(const toml::table& root, std::string file);
    /// A table of the same file. `place` names it in messages, such as "clip \"walk\"" or "rule 3".
    TomlTable within(const toml::table& table, std::string place) const;
    /// A table inside this one: "rule 3, source".
    TomlTable inner(const toml::table& table, std::string_view key) const;

    bool has(std::string_view key) const { return table_.contains(key); }
    /// True for a list, such as [[source]].
    bool is_list(std::string_view key) const { return has(key) && table_.get(key)->is_array(); }
    /// All keys of a table whose keys are names, in the order of the alphabet.
    std::vector<std::string> keys() const;
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

    /// Remembers an error about a value of this table, unless there is one about the same key.
    /// Errors with an empty key are about the table.
    void fail(Code code, std::string_view key, std::string found, std::string expected,
              std::string remedy = {});
    /// Remembers a finding whose place is not a key of this table.
    void fail(Finding finding);
    /// Remembers, as a note and no mistake, that a key which is there changes nothing.
    void idle(std::string_view key, std::string why, std::string remedy);
    /// All of these, of all tables of the file.
    const Findings& notes() const { return *notes_; }
    /// Keys that may be there even where nothing asks for them this time.
    void knows(std::initializer_list<std::string_view> keys);
    /// `key` makes sense only beside `other`: says that `other` is missing.
    void needs(std::string_view key, std::string_view other);
    /// True when `key` is not there, but one that nobody knows looks like it.
    bool mistyped(std::string_view key) const;
    /// True when something was wrong with one of these keys: what follows from them says nothing.
    bool failed(std::initializer_list<std::string_view> keys) const;
    /// True when nothing is wrong with a table and those in it.
    bool sound(const toml::table& table) const;
    /// Where a key is; of an empty one, where the table is.
    Place where(std::string_view key) const;
    /// Says which keys nobody asked for. A missing key is not complained of where one of those
    /// looks like it: that is the one that was mistyped.
    void close();
    /// The table in one form, whatever way it is written: keys in order, no comments.
    std::string canonical() const;
    /// All mistakes of the file so far, in its order.
    Status mistakes() const;

  private:
    const toml::node* find(std::string_view key, bool required, std::string_view wanted);

    struct Mistake {
        const void* table;
        std::string key;  // of the value, or of what is missing
        bool missing = false;
        toml::source_position at;
        Finding finding;
    };
    TomlTable(const toml::table& table, std::string file, std::string place,
              std::shared_ptr<std::vector<Mistake>> mistakes, std::shared_ptr<Findings> notes);
    void add(std::string_view key, bool missing, Finding finding);

    const toml::table& table_;
    std::string file_, place_;
    std::vector<std::string> known_;
    std::shared_ptr<std::vector<Mistake>> mistakes_;  // of all tables of the file
    std::shared_ptr<Findings> notes_;
};

}  // namespace mellow
