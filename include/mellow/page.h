// A page that plays figures: one HTML file that opens from disk in any browser, with no network.
//
// GLB files of a crate are put into it byte for byte and read there by the page's own script, which
// shares no code with the writers: what it shows is what another program would make of the files.
// Everything else is written as GLB first. The page offers `window.mellow.places(figure, clip,
// seconds)`, the places of joints as it reads them, and with #check behind its address it writes
// them into itself (docs/page.md).
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "mellow/bytes.h"
#include "mellow/finding.h"
#include "mellow/result.h"
#include "mellow/scene.h"
#include "mellow/states.h"

namespace mellow {

/// A clip of a figure on the page.
struct PageClip {
    std::string name;
    std::string animation;  ///< its name in the file
    std::size_t file = 0;   ///< index of the GLB file with its motion
    /// Where the source has the joints, as the rig moves them: [sample][joint][x y z], inside.
    std::vector<float> source = {};
};

struct PageFigure {
    std::string name;
    std::size_t skin = 0;  ///< index of its GLB file
    std::vector<PageClip> clips;
    std::string manifest;                    ///< crate.json of a crate; empty without
    std::vector<std::string> source_joints;  ///< of the places of the source
    Findings findings;
};

struct Page {
    std::string title, what;
    /// States that its first figure plays, as JSON (page_states()); empty without.
    std::string states = {};
    std::vector<Bytes> files;  ///< GLB, each once
    std::vector<PageFigure> figures;
};

/// More bytes of GLB files than this are refused: browsers hold a page in memory several times.
inline constexpr std::size_t kMostPageBytes = 150'000'000;

/// Adds the figure of a crate folder with the clips whose names fit `match`. Files are compared
/// with the hashes of the manifest. Fails as open_crate() does, with name-unknown where no clip
/// fits, and with limit where the page would become too large.
Status add_crate(Page& page, const std::filesystem::path& folder, const std::string& match = "*");
/// Adds the crate that a recipe has packed, for its first target, and beside each clip where the
/// source has every joint at each sample: the recipe is read, its rig bound and evaluated again,
/// and nothing of it is baked or written. The page measures one against the other. Fails as
/// add_crate() and plan_pack() do, and with file-missing where the recipe was not packed.
Status add_recipe(Page& page, const std::filesystem::path& recipe, const std::string& match = "*");
/// Adds a scene and its animations, as they are, in its convention.
Status add_scene(Page& page, const std::string& name, const Scene& scene,
                 const Findings& findings = {}, const std::string& match = "*");
/// A sheet as the page takes it, with a script that it plays for tests (#play).
std::string page_states(const StateSheet& sheet, const std::vector<PlayEvent>& events,
                        double seconds, double rate);
/// The page as HTML.
std::string page_text(const Page& page);

}  // namespace mellow
