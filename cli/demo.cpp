#include <fmt/format.h>

#include <filesystem>

#include "commands.h"
#include "mellow/safe_write.h"
#include "orchard.h"

namespace mellow::cli {

namespace {

using Files = std::vector<orchard::File>;

Files all_files() {
    Files all = orchard::tamsin_files();
    for (const auto& more : {orchard::press_files(), orchard::engine_files(),
                             orchard::shift_files(), orchard::odo_files()})
        all.insert(all.end(), more.begin(), more.end());
    return all;
}

void print_made(const DemoRequest& request, const Files& files,
                const std::vector<std::string>& crates) {
    const std::filesystem::path folder(request.folder);
    print_json([&](JsonWriter& json) {
        json.list("files", files,
                  [&](const orchard::File& file) { json.value((folder / file.name).string()); });
        json.list("crates", crates,
                  [&](const std::string& crate) { json.value((folder / crate).string()); });
    });
}

Status write_demo(const std::filesystem::path& folder, const Files& files, bool replace,
                  bool talk) {
    std::error_code error;
    std::size_t motions = 0;
    for (const orchard::File& file : files) {
        const auto path = folder / file.name;
        std::filesystem::create_directories(path.parent_path(), error);
        if (error)
            return Finding{Code::kOutputUnwritable,
                           Severity::kStop,
                           Place::in(path.parent_path().string()),
                           "cannot make the folder: " + error.message(),
                           "a place to write to",
                           "choose another folder"};
        MELLOW_CHECK(write_file(path, file.bytes, replace));
        if (file.name.starts_with("motions/"))
            ++motions;
        else if (talk)
            print_out(fmt::format("wrote {} ({} bytes): {}\n", path.string(), file.bytes.size(),
                                  file.what));
    }
    if (talk && motions > 0)
        print_out(
            fmt::format("wrote {} ({} files): a shift of Tamsin, as it comes from many hands\n",
                        (folder / "motions").string(), motions));
    return {};
}

/// Changes one range of the shift's recipe, as an artist would, so that one clip is stale.
Status change_range(const std::filesystem::path& recipe, const Files& files, bool talk) {
    const std::string was = "range = [0, 48]", is = "range = [0, 72]";
    for (const orchard::File& file : files) {
        if (file.name != recipe.filename()) continue;
        std::string text(file.bytes.begin(), file.bytes.end());
        text.replace(text.find(was), was.size(), is);
        MELLOW_CHECK(write_file(recipe, std::vector<std::uint8_t>(text.begin(), text.end()), true));
    }
    std::error_code ignored;
    std::filesystem::remove(std::filesystem::path(recipe).concat(".backup-1"), ignored);
    if (talk) print_out(fmt::format("\nchanged {} to {} in {}\n\n", was, is, recipe.string()));
    return {};
}

}  // namespace

int demo(const DemoRequest& request) {
    const std::filesystem::path folder(request.folder);
    const bool talk = !request.quiet && !request.json;
    const Files files = all_files();
    if (const Status s = write_demo(folder, files, request.replace, talk); !s)
        return fail(request, s.failures());
    if (request.data_only) {
        if (request.json) print_made(request, files, {});
        return kDone;
    }
    const auto pack_one = [&](const char* recipe, bool replace) {
        if (talk) print_out("\n");
        PackRequest job{request, {(folder / recipe).string()}, ""};
        job.replace = replace;
        job.quiet = !talk, job.json = false;
        return pack(job);
    };
    for (const char* recipe :
         {"tamsin.recipe.toml", "press.recipe.toml", "engines.recipe.toml", "shift.recipe.toml",
          "before.recipe.toml", "round.recipe.toml", "yard.recipe.toml", "odo.recipe.toml"})
        if (const int exit = pack_one(recipe, request.replace); exit != kDone) return exit;
    if (talk) {
        print_out("\nwhat looping and repairing changes, by checks on motion:\n");
        CompareRequest changes;
        changes.a = (folder / "crates/before").string();
        changes.b = (folder / "crates/round").string();
        (void)compare(changes);  // that they differ is no failure here
    }
    for (const std::string who : {"yard", "press"}) {
        PlayRequest game{request,
                         (folder / "crates" / who).string(),
                         (folder / (who + ".states.toml")).string(),
                         (folder / (who + ".script.csv")).string(),
                         {}};
        game.quiet = !talk, game.json = false;
        if (talk) print_out("\n" + game.states + ", played as a game would:\n");
        if (const int exit = play(game); exit != kDone) return exit;
    }
    if (talk) print_out("\n");
    CheckRequest checks{request, {(folder / "engines.recipe.toml").string()}, {}, {}, {}};
    checks.quiet = !talk, checks.json = false;
    if (const int exit = check(checks); exit != kDone) return exit;
    if (const Status s = change_range(folder / "shift.recipe.toml", files, talk); !s)
        return fail(request, s.failures());
    if (const int exit = pack_one("shift.recipe.toml", true); exit != kDone) return exit;
    if (request.json)
        print_made(request, files,
                   {"crates/tamsin", "crates/press", "crates/engines/orchard",
                    "crates/engines/viewer", "crates/engines/machine", "crates/shift",
                    "crates/before", "crates/round", "crates/yard", "crates/odo"});
    return kDone;
}

}  // namespace mellow::cli
