#include "recipe/used_tables.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "base/toml_table.h"
#include "disk/hash.h"
#include "mellow/read.h"

namespace mellow {
namespace {

/// What a recipe says wins, key by key in tables; lists such as [[clip]] are taken whole or not.
void merge(toml::table& into, toml::table&& from) {
    for (auto&& [key, value] : from) {
        toml::node* own = into.get(key);
        if (own == nullptr)
            into.insert(key, std::move(value));  // moved, so that it still knows its line
        else if (own->is_table() && value.is_table())
            merge(*own->as_table(), std::move(*value.as_table()));
    }
}

class Includer {
  public:
    Includer(const std::filesystem::path& folder, std::vector<UsedFile>& used)
        : folder_(folder), used_(used) {}

    Status run(toml::table& root, const std::string& file) {
        open_.push_back(file);
        std::vector<std::string> names;
        const toml::node* use = root.get("use");
        const Place where =
            use == nullptr ? Place::in(file) : Place::in(file, use->source().begin.line, "use");
        if (use != nullptr && !read_names(*use, names))
            return Finding{Code::kValueBad,
                           Severity::kStop,
                           where,
                           "no text",
                           "a file, or a list of files",
                           "use = \"common.toml\""};
        root.erase("use");
        for (const std::string& told : names) {
            const std::string name =
                std::filesystem::path(told).lexically_normal().generic_string();
            if (std::find(open_.begin(), open_.end(), name) != open_.end())
                return Finding{
                    Code::kValueBad,
                    Severity::kStop,
                    where,
                    fmt::format("files that use each other: {}, {}", fmt::join(open_, ", "), name),
                    "files that use others, not themselves",
                    "take one use out"};
            // What it says stands already, and wins over what comes later.
            if (!seen_.insert(name).second) continue;
            auto bytes = read_file(folder_ / name);
            if (!bytes) {
                Finding failure = bytes.failure();
                failure.where = failure.where.inside(where);
                return failure;
            }
            used_.push_back({name, hash_hex(bytes.value())});
            MELLOW_TRY(toml::table table,
                       parse_toml({reinterpret_cast<const char*>(bytes.value().data()),
                                   bytes.value().size()},
                                  name));
            MELLOW_CHECK(run(table, name));
            merge(root, std::move(table));
        }
        open_.pop_back();
        return {};
    }

  private:
    static bool read_names(const toml::node& use, std::vector<std::string>& names) {
        if (const auto* list = use.as_array()) {
            for (const toml::node& item : *list) {
                const auto name = item.value_exact<std::string>();
                if (!name) return false;
                names.push_back(*name);
            }
            return true;
        }
        const auto name = use.value_exact<std::string>();
        if (name) names.push_back(*name);
        return name.has_value();
    }

    const std::filesystem::path& folder_;
    std::vector<UsedFile>& used_;
    std::vector<std::string> open_;
    std::set<std::string> seen_;
};

}  // namespace

Status bring_in(toml::table& root, const std::string& file, const std::filesystem::path& folder,
                std::vector<UsedFile>& used) {
    return Includer(folder, used).run(root, file);
}

}  // namespace mellow
