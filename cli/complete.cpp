// What a shell asks for when the user presses the key for it. The scripts in completion/ only hand
// over the words of the line; everything is known here, from the definitions of the commands.
#include <algorithm>
#include <filesystem>

#include "command.h"

namespace mellow::cli {
namespace {

namespace fs = std::filesystem;

struct Candidates {
    std::string word;  ///< what is typed so far
    std::string text;
    void add(const std::string& candidate, const std::string& about = "") {
        if (!candidate.starts_with(word) || candidate.find('\n') != candidate.npos) return;
        text += candidate + (about.empty() ? "" : "\t" + about) + "\n";
    }
};

std::vector<std::string> endings(Names what) {
    switch (what) {
        case Names::kScene:
        case Names::kSceneOrMore:
            return {".glb", ".gltf", ".dae", ".bvh"};
        case Names::kToml:
            return {".toml"};
        case Names::kPicture:
            return {".png"};
        default:
            return {};
    }
}

/// Folders, and files with an ending that fits, beginning as the word does.
void add_files(Candidates& out, Names what) {
    const auto slash = out.word.rfind('/');
    const std::string head = slash == std::string::npos ? "" : out.word.substr(0, slash + 1);
    const auto fitting = endings(what);
    std::vector<std::string> found;
    std::error_code error;
    for (fs::directory_iterator at(head.empty() ? "." : head, error), end; !error && at != end;
         at.increment(error)) {
        const std::string name = at->path().filename().string();
        const bool hidden = name.front() == '.' && out.word.size() == head.size();
        const std::string ending = at->path().extension().string();
        if (at->is_directory(error) && !hidden)
            found.push_back(head + name + "/");
        else if (std::find(fitting.begin(), fitting.end(), ending) != fitting.end() && !hidden)
            found.push_back(head + name);
    }
    std::sort(found.begin(), found.end());
    for (const std::string& path : found) out.add(path);
}

/// Timelines of the scene files among the words.
void add_timelines(Candidates& out, const std::vector<std::string>& words) {
    for (const std::string& word : words) {
        const auto fitting = endings(Names::kScene);
        const std::string ending = fs::path(word).extension().string();
        if (std::find(fitting.begin(), fitting.end(), ending) == fitting.end()) continue;
        const auto read = read_scene(word);
        if (!read) continue;
        for (const Timeline& t : read.value().scene.timelines) out.add(t.name, word);
    }
}

void add_values(Candidates& out, const Option& option, const std::vector<std::string>& words) {
    for (const std::string& word : option.words) out.add(word);
    if (option.what == Names::kTimeline)
        add_timelines(out, words);
    else if (option.what != Names::kNothing)
        add_files(out, option.what);
}

const Option* named(const Command& command, const std::string& word) {
    for (const Option& o : command.options) {
        const auto spellings = o.spellings();
        if (!o.is_argument() &&
            std::find(spellings.begin(), spellings.end(), word) != spellings.end())
            return &o;
    }
    return nullptr;
}

/// The argument that stands where the last word does.
const Option* argument_at(const Command& command, const std::vector<std::string>& words) {
    std::size_t before = 0;
    for (std::size_t i = 1; i + 1 < words.size(); ++i) {
        const Option* const option = named(command, words[i]);
        if (option == nullptr && words[i].front() != '-') ++before;
        if (option != nullptr && !option->is_flag()) ++i;
    }
    const Option* last = nullptr;
    for (const Option& o : command.options) {
        if (!o.is_argument()) continue;
        last = &o;
        if (before == 0) return last;
        if (!o.is_list()) --before;
    }
    return last != nullptr && last->is_list() ? last : nullptr;
}

}  // namespace

std::string completions(const std::vector<Command>& all, const std::vector<std::string>& words) {
    if (words.empty()) return "";
    Candidates out{words.back(), ""};
    if (words.size() == 1 || (words.size() == 2 && words[0] == "help")) {
        for (const Command& c : all) out.add(c.name, c.summary);
        if (words.size() == 1) out.add("help", "Say more about a command");
        return out.text;
    }
    const Command* const command = find_command(all, words[0]);
    if (command == nullptr) return "";
    const Option* const before = named(*command, words[words.size() - 2]);
    if (before != nullptr && !before->is_flag()) {
        add_values(out, *before, words);
    } else if (out.word.starts_with('-')) {
        for (const Option& o : command->options) {
            const bool given = std::any_of(words.begin(), words.end() - 1, [&](const auto& word) {
                return named(*command, word) == &o;
            });
            if (!o.is_argument() && (!given || o.is_list())) out.add(o.spellings().back(), o.help);
        }
    } else if (const Option* const argument = argument_at(*command, words)) {
        add_values(out, *argument, words);
    }
    return out.text;
}

}  // namespace mellow::cli
