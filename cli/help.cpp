// Help and manual pages, made from the definitions of the commands.
#include <fmt/format.h>

#include <algorithm>

#include "command.h"

namespace mellow::cli {
namespace {

constexpr const char* kExitCodes =
    "Exit codes: 0 done, 1 done but checks failed, 2 usage, 3 bad input, 4 could not write.";

/// "-o, --output FILE"
std::string left_side(const Option& o) {
    std::string text = fmt::format("{}", fmt::join(o.spellings(), ", "));
    if (o.is_argument()) return text + (o.is_list() ? " ..." : "");
    if (!o.value.empty()) text += " " + o.value;
    return o.is_list() ? text + " ..." : text;
}

/// What it takes, where the help does not say it.
std::string right_side(const Option& o) {
    std::string text = o.help;
    const bool said = o.words.empty() || text.find(o.words.front()) != text.npos;
    return said ? text : text + fmt::format(": {}", fmt::join(o.words, ", "));
}

std::string option_lines(const Command& command, bool arguments) {
    std::string text;
    std::size_t width = 0;
    for (const Option& o : command.options) width = std::max(width, left_side(o).size());
    for (const Option& o : command.options)
        if (o.is_argument() == arguments)
            text += fmt::format("  {:{}}  {}\n", left_side(o), width, right_side(o));
    return text;
}

/// Text as Markdown shows it as it is.
std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) {
        if (c == '_' || c == '*' || c == '<' || c == '`') out += '\\';
        out += c;
    }
    return out;
}

}  // namespace

std::string usage(const Command& command) {
    std::string text = "mellow " + command.name + " [OPTIONS]";
    for (const Option& o : command.options)
        if (o.is_argument())
            text += o.required ? " " + left_side(o) : " [" + left_side(o) + "]";
        else if (o.required)
            text += fmt::format(" {} {}", o.spellings().front(), o.value);
    return text;
}

std::string overview(const std::vector<Command>& all) {
    std::string text =
        "Mellow Crate bakes rigged animation to its deform joints and packs it for a game engine, "
        "proven.\n\nUse: mellow COMMAND [OPTIONS] ...\n\n";
    for (const Command& c : all) text += fmt::format("  {:10}{}\n", c.name, c.summary);
    text += fmt::format("  {:10}{}\n\n", "help", "Say more about a command");
    text +=
        "Examples:\n  mellow demo                          # made-up data, and the whole job on "
        "it\n"
        "  mellow pack hero.recipe.toml         # your own\n\n";
    return text + kExitCodes + "\n";
}

std::string help_text(const Command& command) {
    std::string text =
        fmt::format("mellow {}: {}\n\nUse: {}\n\n{}\nOptions:\n{}", command.name, command.summary,
                    usage(command), option_lines(command, true), option_lines(command, false));
    if (!command.about.empty()) text += "\n" + command.about + "\n";
    text += "\n";
    for (const std::string& example : command.examples) text += "Example: " + example + "\n";
    return text + kExitCodes + "\n";
}

std::string manual_text(const Command& command) {
    std::string text = fmt::format(
        "# NAME\n\nmellow-{} - {}\n\n# SYNOPSIS\n\n    {}\n\n# DESCRIPTION\n\n{}.\n", command.name,
        escaped(command.summary), usage(command), escaped(command.summary));
    if (!command.about.empty()) text += "\n" + escaped(command.about) + "\n";
    for (const bool arguments : {true, false}) {
        text += arguments ? "\n# ARGUMENTS\n" : "\n# OPTIONS\n";
        for (const Option& o : command.options)
            if (o.is_argument() == arguments)
                text += fmt::format("\n**{}**\n\n> {}\n", escaped(left_side(o)),
                                    escaped(right_side(o)));
    }
    text += "\n# EXAMPLES\n";
    for (const std::string& example : command.examples) text += "\n    " + example + "\n";
    return text + "\n# EXIT STATUS\n\n" + kExitCodes +
           "\n\n# SEE ALSO\n\n**mellow(1)**, **mellow-recipe(5)**, **mellow-rig-sheet(5)**, "
           "**mellow-findings(7)**\n";
}

std::string overview_manual(const std::vector<Command>& all) {
    std::string text =
        "# NAME\n\nmellow - bakes rigged animation to its deform joints and packs it for a game "
        "engine, proven\n\n# SYNOPSIS\n\n    mellow COMMAND [OPTIONS] ...\n\n# COMMANDS\n";
    for (const Command& c : all)
        text += fmt::format("\n**mellow-{}(1)**\n\n> {}\n", c.name, escaped(c.summary));
    return text +
           "\n# FILES\n\nRecipes: **mellow-recipe(5)**. Rig sheets: **mellow-rig-sheet(5)**. What "
           "packing writes: "
           "**mellow-crate(5)**. Messages: **mellow-findings(7)**.\n\n# EXIT STATUS\n\n" +
           kExitCodes + "\n";
}

}  // namespace mellow::cli
