// The contact sheet: one row per clip, eight poses from the side, ruler, ground, root path.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

struct SheetClip {
    const Scene* scene = nullptr;    ///< motion-only, in the inside convention
    std::vector<std::string> lines;  ///< name first, then what is said beside the row
    int samples = 0;
    FrameRate rate;
};

/// Draws the sheet as PNG, 1280 pixels wide and at least 800 high, 240 per clip. `skin` is in the
/// inside convention. Seen from the figure's right side: front is to the right, up is up; `axes`
/// says what these are called. All poses have one scale. Fails with name-unknown when a clip does
/// not fit the skin.
Result<std::vector<std::uint8_t>> draw_sheet(const std::string& title, const Scene& skin,
                                             const std::vector<SheetClip>& clips,
                                             const Convention& axes = {});

}  // namespace mellow
