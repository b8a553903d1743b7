// Pictures that answer one question each: where joints go, whether a loop closes, what moves when,
// which frames become clips, what hangs on what, which state leads where, how large files are.
//
// All are PNG with an opaque ground, drawn without a display, of the size that is asked for.
// Figures and clips are in the inside convention; names of axes are the target's. Colours differ in
// lightness and lines in dashes as well, so that they are told apart without seeing red and green.
// Calls share nothing and may run on several threads.
#pragma once

#include <cstdint>
#include <string>
#include <utility>
#include <vector>

#include "mellow/result.h"
#include "mellow/sheet.h"

namespace mellow {

using Png = std::vector<std::uint8_t>;

/// The ways of joints through a clip, from above and from the right side, with how far they go.
Result<Png> draw_trails(const std::string& title, const Scene& skin, const SheetClip& clip,
                        const std::vector<std::string>& joints, const SheetOptions& options = {});
/// The first pose of a clip, and its last one as bones over it, from the side and the front; travel
/// is taken back. What is between them is written beside, joint by joint, the farthest first.
Result<Png> draw_seam(const std::string& title, const Scene& skin, const SheetClip& clip,
                      const SheetOptions& options = {});
/// Places of joints in the world over time: ahead, up and left, metres.
Result<Png> draw_curves(const std::string& title, const Scene& skin, const SheetClip& clip,
                        const std::vector<std::string>& joints, const SheetOptions& options = {});

/// How one pose is drawn.
struct PoseOptions {
    ViewFrom from = ViewFrom::kQuarter;
    int width = 160, height = 160;  ///< pixels
    std::string around;             ///< a joint in the middle; empty: the whole figure fits
    double reach_m = 0.5;           ///< how much around it is shown, to each side
};
/// The pose of one sample and nothing else, on a plain ground. Fails with name-unknown for a joint
/// that is not there.
Result<Png> draw_pose(const Scene& skin, const SheetClip& clip, int sample,
                      const PoseOptions& options = {});

/// A stretch of a timeline, in frames, both included.
struct StripSpan {
    std::string name;
    double first = 0, last = 0;
    bool loop = false;
};
/// One timeline, and what is taken from it.
struct StripRow {
    std::string name;
    double first = 0, last = 0;
    std::vector<StripSpan> spans;
    std::vector<std::pair<std::string, double>> marks;  ///< cues, and their frames
};
/// Ranges of clips on their timelines: overlaps stand in lines of their own, gaps are empty.
Png draw_strip(const std::string& title, const std::vector<StripRow>& rows,
               const SheetOptions& options = {});

/// A node of a drawn tree.
struct TreeLine {
    int depth = 0;
    std::string name, kind;  ///< such as "deform", "control", "unweighted"
};
/// A tree of nodes in columns, with their kinds marked by shape and word.
Png draw_tree(const std::string& title, const std::vector<TreeLine>& lines,
              const SheetOptions& options = {});

/// A way from one state to another, by their indices; -1 is any.
struct StateArrow {
    int from = -1, to = 0;
    std::string words;
    bool dead = false;  ///< it is never taken: drawn thin and without a head
};
/// States on a circle, and the ways between them.
Png draw_states(const std::string& title, const std::vector<std::string>& states, int start,
                const std::vector<StateArrow>& arrows, const SheetOptions& options = {});

/// Bars of bytes, the largest first, with a sum.
Png draw_sizes(const std::string& title, std::vector<std::pair<std::string, std::uint64_t>> files,
               const SheetOptions& options = {});

}  // namespace mellow
