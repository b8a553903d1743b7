// The contact sheet: rows of clips, poses side by side or in lines, ruler, ground, root path.
//
// It answers at a glance what a clip does, from four sides, without a player. All poses of a sheet
// have one scale, and a sheet of few clips has large ones. Drawing shares nothing between calls and
// may run on several threads.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

/// One row of a contact sheet.
struct SheetClip {
    const Scene* scene = nullptr;    ///< with its motion alone, in the inside convention
    std::vector<std::string> lines;  ///< name first, then what is said beside the row
    int samples = 0;
    FrameRate rate;
    double begin = 0;             ///< seconds of its first sample on the timeline of `scene`
    const Scene* skin = nullptr;  ///< another figure than that of the sheet
    int first = 0, last = -1;     ///< samples that are drawn; -1: to the end
    bool frames = false;          ///< the labels count frames of a source; else samples
    double first_frame = 0, frames_per_sample = 1;
};

/// From where figures are seen: their right side (front is to the right), the front, above (front
/// is up), or between front and right side from a little above.
enum class ViewFrom { kSide, kFront, kTop, kQuarter };
/// "side", "front", "top" or "quarter".
std::string_view name(ViewFrom from);

/// What a sheet shows, and how large.
struct SheetOptions {
    Convention axes = {};  ///< whose names are written on the sheet
    ViewFrom from = ViewFrom::kSide;
    int poses = 0;                   ///< of each clip; 0: up to eight, as many as stay large
    int width = 1280, height = 800;  ///< pixels; higher where there are more clips than fit
};

/// Draws the sheet as PNG, at least 240 pixels for each clip. `skin` is in the inside convention.
/// Fails with name-unknown when a clip does not fit the skin.
Result<std::vector<std::uint8_t>> draw_sheet(const std::string& title, const Scene& skin,
                                             const std::vector<SheetClip>& clips,
                                             const SheetOptions& options = {});

}  // namespace mellow
