// The one file that knows the argument parser.
#include <fmt/core.h>

#include <CLI/CLI.hpp>
#include <algorithm>

#include "base/text.h"
#include "command.h"

namespace mellow::cli {
namespace {

void add(CLI::App& app, const Option& option) {
    CLI::Option* added = std::visit(
        [&](auto* target) -> CLI::Option* {
            if constexpr (std::is_same_v<decltype(target), bool*>)
                return app.add_flag(option.names, *target);
            else
                return app.add_option(option.names, *target);
        },
        option.target);
    added->required(option.required);
    if (std::holds_alternative<std::vector<std::int64_t>*>(option.target)) added->expected(2);
}

/// The first word that looks like an option, of those that nobody knows.
std::string unknown_option(const CLI::App& app) {
    for (const std::string& word : app.remaining())
        if (word.size() > 1 && word.front() == '-') return word.substr(0, word.find('='));
    return "";
}

/// The option of any number of values that took more words than it was given times.
std::string hungry_option(const CLI::App& app, const std::vector<std::string>& arguments) {
    for (const CLI::Option* option : app.get_options()) {
        if (option->get_positional() || option->get_items_expected_max() <= 2) continue;
        const std::string name = option->get_name();
        const auto times = std::count_if(arguments.begin(), arguments.end(), [&](const auto& word) {
            return word == name || word.starts_with(name + "=");
        });
        if (option->results().size() > static_cast<std::size_t>(times)) return name;
    }
    return "";
}

/// The first word that gives a value to an option that takes none.
std::string flag_with_value(const Command& command, const std::vector<std::string>& arguments) {
    for (const std::string& word : arguments) {
        const std::size_t sign = word.find('=');
        if (word == "--") break;
        if (sign == word.npos) continue;
        for (const Option& option : command.options)
            if (option.is_flag() && !option.is_argument())
                for (const std::string& spelling : option.spellings())
                    if (word.substr(0, sign) == spelling) return word;
    }
    return "";
}

}  // namespace

std::optional<Finding> parse(const Command& command, const std::vector<std::string>& arguments) {
    CLI::App app;
    app.set_help_flag();
    const Place where = Place::of("mellow " + command.name);
    const std::string help = "mellow help " + command.name;
    if (const std::string word = flag_with_value(command, arguments); !word.empty())
        return Finding{Code::kUsage,
                       Severity::kStop,
                       where,
                       fmt::format("a value for an option that takes none: \"{}\"", word),
                       fmt::format("\"{}\"", word.substr(0, word.find('='))),
                       help};
    std::vector<std::string> spellings;
    for (const Option& option : command.options) {
        add(app, option);
        if (option.is_argument()) continue;
        for (const std::string& s : option.spellings()) spellings.push_back(s);
    }
    try {
        app.parse(std::vector<std::string>(arguments.rbegin(), arguments.rend()));
        return {};
    } catch (const CLI::ParseError& error) {
        Finding finding{Code::kUsage, Severity::kStop, where, error.what(), usage(command), help};
        const bool missing = dynamic_cast<const CLI::RequiredError*>(&error) != nullptr;
        if (const std::string hungry = missing ? hungry_option(app, arguments) : "";
            !hungry.empty())
            finding.found += fmt::format("; \"{}\" has taken all words behind it", hungry);
        if (const std::string unknown = unknown_option(app); !unknown.empty()) {
            finding.found = fmt::format("no option \"{}\"", unknown);
            if (const std::string near = nearest_name(unknown, spellings); !near.empty())
                finding.expected = fmt::format("did you mean \"{}\"?", near);
        }
        return finding;
    }
}

}  // namespace mellow::cli
