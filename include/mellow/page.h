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

/// A figure on the page, with its clips.
struct PageFigure {
    std::string name;       ///< figures of one name are told apart by `from`, then by numbers
    std::string from = {};  ///< the crate's folder; "file" of a scene file
    std::size_t skin = 0;   ///< index of its GLB file
    std::vector<PageClip> clips;
    std::string manifest;                    ///< crate.json of a crate; empty without
    std::vector<std::string> source_joints;  ///< of the places of the source
    Findings findings;
};

/// More bytes of GLB files than this lie beside the page: browsers hold a page in memory several
/// times.
inline constexpr std::size_t kMostPageBytes = 150'000'000;
/// A file of more bytes is refused: as text it is longer than browsers take texts to be.
inline constexpr std::size_t kMostFileBytes = 380'000'000;

/// What a page shows.
struct Page {
    std::string title, what;
    /// States that its first figure plays, as JSON (page_states()); empty without.
    std::string states = {};
    std::vector<Bytes> files;  ///< GLB, each once
    /// Folder beside the page that its files lie in, as write_page() puts them there; empty where
    /// they are within the page.
    std::string linked = {};
    std::vector<PageFigure> figures;
    std::size_t most_file_bytes = kMostFileBytes;
};

/// Adds the figure of a crate folder with the clips whose names fit `match`. Files are compared
/// with the hashes of the manifest. Fails as open_crate() does, with name-unknown where no clip
/// fits, and with limit where a file has more than most_file_bytes.
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

/// What was written of a page.
struct WrittenPage {
    std::size_t page_bytes = 0;  ///< of the HTML file
    std::size_t file_bytes = 0;  ///< of the GLB files, wherever they are
    std::string linked;          ///< the folder that they lie in; empty where they are in the page
};
/// Writes the page to `path`, for hero.html. More than kMostPageBytes of GLB files, or any where
/// `linked`, are put into a folder hero.files beside it, as scripts named by their hash that the
/// page loads when a clip is shown; those of a page that stood there before go. Fails as
/// write_file() does; then the old page and its files stand as they were.
Result<WrittenPage> write_page(Page page, const std::filesystem::path& path, bool linked,
                               bool replace);

}  // namespace mellow
