// Packs a recipe in three shares, as three machines would, and gathers them: the crate is that of
// one machine.
// Usage: 09_shares ORCHARD   (a folder made by `mellow demo ORCHARD --data-only`)
#include <fmt/core.h>

#include "mellow/mellow.h"

namespace {

mellow::Finding unexpected(const std::string& found, const std::string& expected) {
    return {mellow::Code::kProofFailed, mellow::Severity::kStop, "shares", found, expected, ""};
}

mellow::Status pack_in_shares(const std::filesystem::path& folder) {
    constexpr int kShares = 3;
    MELLOW_TRY(mellow::Recipe recipe, mellow::read_recipe(folder / "shift.recipe.toml"));
    mellow::PackOptions again;
    again.replace = true;
    for (int number = 1; number <= kShares; ++number) {
        const auto part = folder / "parts" / std::to_string(number);
        MELLOW_TRY(const auto reports, mellow::pack_share(recipe, {number, kShares}, part, again));
        for (const mellow::PackReport& report : reports)
            fmt::print("share {} of {}: {} of {} clips\n", number, kShares, report.clips.size(),
                       report.share->clips);
    }
    mellow::GatherOptions where;
    where.output = folder / "gathered";
    where.replace = true;
    MELLOW_TRY(const auto gathered, mellow::gather({folder / "parts"}, where));

    recipe.output = folder / "at_once";
    MELLOW_TRY(const mellow::PackReport one, mellow::pack(recipe, again));
    const mellow::PackReport& all = gathered.front();
    fmt::print("gathered: {} clips, {} at once\n", all.clips.size(), one.clips.size());
    if (!all.proven || all.clips.size() != one.clips.size())
        return unexpected(fmt::format("{} clips", all.clips.size()), "all of them, proven");
    for (std::size_t i = 0; i < one.clips.size(); ++i)
        if (all.clips[i].file.hash != one.clips[i].file.hash)
            return unexpected(all.clips[i].clip.name + " is another file", "the same bytes");
    return {};
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return 2;
    const mellow::Status status = pack_in_shares(argv[1]);
    if (!status) fmt::print(stderr, "{}\n", mellow::to_text(status.failure()));
    return status ? 0 : 3;
}
