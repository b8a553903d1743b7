// Opening a crate: its manifest and its files, read back.
//
// This is what a program does that plays a crate, draws it, or compares it with another. Scenes
// come inside, in metres with +Y up, whatever convention the files are written in. Writing is
// pack() with a recipe (pack.h), or write_crate() without one (write_crate.h).
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/compare.h"
#include "mellow/manifest.h"
#include "mellow/result.h"
#include "mellow/scene.h"
#include "mellow/sheet.h"

namespace mellow {

/// Which frames of a source became a clip.
struct ClipSource {
    std::string timeline;
    double first = 0, last = 0;
    FrameRate rate;
    bool plain = false;  ///< these frames as they are: not shaped, not made of parts
};

/// Whether the motions of all clips are kept, or each is read, checked and let go again: then
/// `motions` stays empty, and memory does not grow with the samples.
enum class Motions { kKept, kChecked };

/// Which share of a plan a part holds.
struct CratePart {
    int number = 1, of = 1;
    std::size_t clips = 0;  ///< of the whole plan
};

/// A crate as it was read back, every hash checked.
struct Crate {
    std::string name;
    Convention convention;
    Scene skin;                      ///< in the inside convention
    std::vector<ClipInfo> clips;     ///< what the manifest says; the samples are in `motions`
    std::vector<Scene> motions;      ///< one per clip, in the inside convention
    std::vector<std::string> files;  ///< of the clips, within the folder
    std::vector<ClipSource> sources;
    std::optional<CratePart> part;  ///< where it is no crate, but a part of one
};

/// Reads the manifest of a crate folder and all files it names, and checks their sizes and hashes.
/// Fails with file-missing, value-bad for a manifest that is none or that of a part, or as
/// read_scene() does.
Result<Crate> open_crate(const std::filesystem::path& folder, Motions motions = Motions::kKept,
                         Parts parts = Parts::kRefused);

/// A figure of the checks on motion of one clip: "slide" and "depth" of the worst foot, the largest
/// "jump" of a joint, the "plane" that a joint is farthest behind, and the "seam" of a loop; mm.
/// Below 0: the crate does not say it.
struct MotionFigure {
    std::string what;
    double was = -1, is = -1;
};

/// What became of one clip from one crate to another.
struct ClipChange {
    enum class Kind {
        kUnchanged,  ///< the same bytes, or the same motion and facts within the tolerance
        kChanged,
        kAdded,    ///< only in the second
        kGone,     ///< only in the first
        kRenamed,  ///< the same motion under another name
    };
    std::string name;
    std::string was;  ///< of a renamed one, its name in the first
    Kind kind = Kind::kUnchanged;
    std::vector<Difference> differences;      ///< of its motion, joints alone
    std::vector<std::string> facts;           ///< "loop: once, not closed"
    Deviation position_mm, rotation_degrees;  ///< with sample / moments_per_second seconds
    double moments_per_second = 0;
    /// What the checks on motion say of it, before and now; of clips that are in both and changed.
    std::vector<MotionFigure> motion;
};
/// "unchanged", "changed", "added", "gone" or "renamed".
std::string_view name(ClipChange::Kind kind);

/// How two crates differ. Clips of the same bytes are not opened.
struct CrateComparison {
    std::vector<ClipChange> clips;  ///< of the first in its order, then those added
    bool same_skin = true;          ///< the skin files have the same bytes
    std::vector<Difference> skin;   ///< in what they differ, where it can be seen
    /// What else the manifests say of the whole: "unit: 1 m, not 0.01 m", "joints only in ...".
    std::vector<std::string> facts;
    /// No clip differs, nor the skin, nor what is said of the whole.
    bool same() const;
};

/// Compares two crate folders, the second as the newer one. Fails as open_crate() does.
Result<CrateComparison> compare_crates(const std::filesystem::path& a,
                                       const std::filesystem::path& b,
                                       const CompareTolerance& tolerance,
                                       const std::set<Aspect>& ignored = {});

/// How many clips a contact sheet shows at most: pictures have an end.
inline constexpr std::size_t kMostDrawn = 40;

/// The rows of a crate's contact sheet: clips with what is said of them. `crate` must outlive them.
std::vector<SheetClip> sheet_clips(const Crate& crate);
/// Draws a crate as a contact sheet (sheet.h), PNG: the first kMostDrawn clips.
Result<std::vector<std::uint8_t>> draw_crate(const Crate& crate);

}  // namespace mellow
