// Checking files against a target: every demand, what was found, and what to do about it.
//
// Files are read afresh; nothing that packing knew is believed, and no recipe is needed. Crates,
// single scene files and folders of files that other programs wrote are checked alike. In a folder
// without a manifest a file with meshes is a skin, a file with motion holds clips, and one with
// both is both, as the layout of the target wants it.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "mellow/manifest.h"
#include "mellow/result.h"
#include "mellow/target.h"

namespace mellow {

/// All demands of a target, each with what was found. Passed when none is unmet.
struct CheckReport {
    std::string what, target;
    std::vector<Demand> demands;  ///< file by file, skins first
    std::size_t files = 0;
    bool crate = false;  ///< there is a manifest
    bool alone = false;  ///< a single file: nothing is known of its folder
    std::string base;    ///< folder that files are named from, for remedies

    /// How many demands are not met.
    std::size_t unmet() const;
    bool passed() const { return unmet() == 0; }
};

/// Checks a crate folder against the target that it was packed for (its target.toml), or against
/// another. Fails where the folder is no crate.
Result<CheckReport> check_crate(const std::filesystem::path& folder,
                                const std::optional<Target>& target = {});
/// Checks a scene file, or all scene files in a folder and below, against a target. Fails with
/// file-missing where there is none. A file that cannot be read is a demand that is not met.
Result<CheckReport> check_files(const std::filesystem::path& path, const Target& target);

/// Whether a figure can play a clip: its joints are those of the clip.
struct FigureMatch {
    std::string figure, clip;
    bool fits = true;
    std::string joint;  ///< the worst: missing, elsewhere or turned
    std::string why;    ///< "12.3 mm elsewhere"
};
/// Every figure against every clip of a crate: names, parents, places (to 1 mm or a two-hundredth
/// of the bone) and axes (to a tenth of a degree) at rest.
Result<std::vector<FigureMatch>> match_figures(const std::vector<std::filesystem::path>& figures,
                                               const std::filesystem::path& crate);

/// How large one clip is in different forms, bytes.
struct ClipSizes {
    std::string clip;
    std::size_t as_is = 0, motion = 0, with_skin = 0, motion_text = 0, with_skin_text = 0;
};
/// Every clip of a crate, written in memory as GLB and as glTF text, alone and with its skin.
Result<std::vector<ClipSizes>> clip_sizes(const std::filesystem::path& crate);

/// For the terminal: a line for each demand that is not met, and counts; `all`: for each demand.
void check_text(const CheckReport& report, bool all, const TextSink& out);
/// The same as JSON, with stable keys.
void check_json(const CheckReport& report, const TextSink& out);
/// JUnit XML: each demand is a test case, so that a build server shows them.
std::string check_junit(const std::vector<CheckReport>& reports);

}  // namespace mellow
