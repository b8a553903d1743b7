// Everything that the tool prints, writes and draws on made data, held whole: what is in
// tests/golden was looked at once (its README says by what), and must not change unseen.
#include <fmt/format.h>
#include <toml++/toml.h>

#include <cstdlib>

#include "browser.h"
#include "plain_text.h"
#include "support.h"

namespace mellow::golden_test {
namespace {

namespace fs = std::filesystem;
using test::read_text;

/// Where the files are; a copy of the tree has its own.
fs::path golden() {
    const char* other = std::getenv("MELLOW_GOLDEN");
    return other != nullptr ? fs::path(other) : fs::path(MELLOW_SOURCE_DIR) / "tests" / "golden";
}

const toml::table& scenes() {
    static const toml::table all = toml::parse_file((golden() / "scenes.toml").string());
    return all;
}

std::vector<std::string> names_of_scenes() {
    std::vector<std::string> names;
    for (const auto& [name, scene] : scenes()) names.emplace_back(name.str());
    return names;
}

/// A file or all files of a folder, the name of each in front.
std::string shown(const fs::path& top, const std::string& name) {
    std::vector<fs::path> files;
    if (fs::is_directory(top / name)) {
        for (const auto& entry : fs::recursive_directory_iterator(top / name))
            if (entry.is_regular_file()) files.push_back(entry.path());
    } else {
        files.push_back(top / name);
    }
    std::ranges::sort(files);
    std::string out;
    for (const fs::path& file : files)
        out += fmt::format("== {}\n{}", file.lexically_relative(top).generic_string(),
                           fs::exists(file) ? test::plain_text(file) : "is not there\n");
    return out;
}

/// Texts of files in which a run has something else, for as long as it runs.
class Edited {
  public:
    Edited(const fs::path& folder, const toml::array* edits) {
        for (std::size_t i = 0; edits != nullptr && i + 2 < edits->size(); i += 3) {
            const fs::path file = folder / *edits->get(i)->value<std::string>();
            const std::string find = *edits->get(i + 1)->value<std::string>();
            std::string text = read_text(file);
            before_.emplace_back(file, text);
            const std::size_t place = text.find(find);
            if (place == text.npos || text.find(find, place + 1) != text.npos)
                ADD_FAILURE() << file << ": not once: " << find;
            else
                text.replace(place, find.size(), *edits->get(i + 2)->value<std::string>());
            test::write_text(file, text);
        }
    }
    ~Edited() {
        for (const auto& [file, text] : before_) test::write_text(file, text);
    }

  private:
    std::vector<std::pair<fs::path, std::string>> before_;
};

/// What is there after each of a scene's commands.
std::string played(const toml::table& scene) {
    const test::TempFolder folder;
    if (const auto* data = scene["data"].as_array())
        for (const auto& name : *data)
            fs::copy(golden() / "data" / *name.value<std::string>(),
                     folder / *name.value<std::string>(), fs::copy_options::recursive);
    std::string out;
    for (const auto& node : *scene["run"].as_array()) {
        const toml::table& run = *node.as_table();
        const std::string arguments = run["mellow"].value_or("");
        const toml::array* edits = run["edit"].as_array();
        const Edited edited(folder.path(), edits);
        const auto ran =
            test::run_tool(arguments, fmt::format("cd '{}' &&", folder.path().string()),
                           run["judged"].value_or(false));
        out += fmt::format("$ mellow {}\n", arguments);
        for (std::size_t i = 0; edits != nullptr && i + 2 < edits->size(); i += 3)
            out += fmt::format("# {}: {}\n", *edits->get(i)->value<std::string>(),
                               *edits->get(i + 2)->value<std::string>());
        out += fmt::format("exit code {}\n{}{}", ran.exit, ran.out, ran.err);
        if (const auto* files = run["files"].as_array())
            for (const auto& file : *files) out += shown(folder.path(), *file.value<std::string>());
        if (const auto page = run["page"].value<std::string>())
            out += test::Browser::shared()
                       .open(folder / *page, "#flat", read_text(golden() / "page.js"))
                       .get<std::string>();
    }
    for (std::size_t at = 0; (at = out.find(folder.path().string(), at)) != out.npos;)
        out.replace(at, folder.path().string().size(), "FOLDER");
    return out;
}

class GoldenTest : public testing::TestWithParam<std::string> {};

TEST_P(GoldenTest, IsAsItWasLookedAt) {
    const std::string there = played(*scenes()[GetParam()].as_table());
    const fs::path file = golden() / "expected" / (GetParam() + ".txt");
    if (std::getenv("MELLOW_GOLDEN_UPDATE") != nullptr) test::write_text(file, there);
    const std::string wanted = fs::exists(file) ? read_text(file) : std::string();
    EXPECT_EQ(test::different_lines(wanted, there), "")
        << "if this is what is meant: MELLOW_GOLDEN_UPDATE=1, look at the difference, say in "
           "tests/golden/README.md what checked it, and in CHANGELOG.md what changed";
}

INSTANTIATE_TEST_SUITE_P(Scenes, GoldenTest, testing::ValuesIn(names_of_scenes()),
                         [](const auto& scene) { return scene.param; });

}  // namespace
}  // namespace mellow::golden_test
