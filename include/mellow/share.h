// Packing on several machines: each packs a share of a recipe's clips into a part, and the parts
// are gathered into the crate that one machine would have made.
//
// Shares need nothing of each other: each plans the whole recipe, takes the clips that fall to it,
// and packs and measures them as pack() does. A part is a crate of those clips whose manifest says
// which share of which plan it is. Gathering plans once more, takes every clip from a part, checks
// its bytes against the part's manifest and its inputs against the plan, and bakes nothing. Who
// starts the shares, on which machines and how often, is not this library's business: any
// scheduler will do (docs/many-machines.md).
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

#include "mellow/pack.h"

namespace mellow {

/// "3/16". Fails with value-bad unless both are whole numbers with 1 <= number <= of, and `of` is
/// at most kMostShares.
Result<Share> parse_share(const std::string& text);

/// The share that each clip falls to, from 1: the dearest first, each to the share that has least
/// so far, the lowest number among equals (the longest-processing-time rule: R. L. Graham, "Bounds
/// on multiprocessing timing anomalies", SIAM J. Appl. Math. 17, 1969). The same everywhere.
std::vector<int> deal(const std::vector<std::int64_t>& costs, int of);

/// Packs one share of a recipe into the part `folder`: for several targets one in `folder`/TARGET
/// each. A part of the same share and plan that stands there gives its clips and is replaced, any
/// other only with options.replace. Targets that keep all clips in one file cannot be shared: they
/// have no part, and are packed when the parts are gathered. Reports are of the parts; none where
/// no target can be shared. Pictures are drawn when parts are gathered. Fails as pack_all() does.
Result<std::vector<PackReport>> pack_share(const Recipe& recipe, const Share& share,
                                           const std::filesystem::path& folder,
                                           PackOptions options = {});
/// What that would do; nothing is written.
Result<PackPlan> plan_share(const Recipe& recipe, const Share& share,
                            const std::filesystem::path& folder, PackOptions options = {});

/// What the manifest of a part says.
struct Part {
    std::filesystem::path folder;
    Share share;
    std::filesystem::path recipe;  ///< found from the folder
    std::string crate, target;
    std::size_t clips = 0;
};
/// The part that is in a folder, or those up to three folders below it, sorted by path. Fails with
/// file-missing where there is none, and where the folder is a whole crate.
Result<std::vector<Part>> find_parts(const std::filesystem::path& folder);

/// How parts become a crate.
struct GatherOptions {
    std::filesystem::path output;  ///< in place of the folder that the recipe names; empty: that
    std::filesystem::path recipe;  ///< where it is now, if not where the parts say; empty: there
    bool replace = false;
    bool keep_going = false;  ///< as where the recipe says on_error = "skip"
    int keep = 3;
    PackProgress progress;
};

/// Puts the crates of all recipes together that the parts in `folders` are of. The result is byte
/// for byte that of pack_all(). Fails with share-missing where a share is not there, share-differs
/// where parts are of several plans, where one share was packed twice with different results, where
/// a file is not what its manifest says, or where the recipe's inputs have changed since; with
/// value-bad where `output` or `recipe` is given for parts of several recipes. Then nothing is put
/// in place. The remedies are the commands that make what is missing.
Result<std::vector<PackReport>> gather(const std::vector<std::filesystem::path>& folders,
                                       const GatherOptions& options = {});

}  // namespace mellow
