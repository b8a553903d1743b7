// What is said of where a clip begins and ends: tails that stand still, clips too short to see,
// loops that nobody has called one.
#pragma once

#include "figure/figure.h"
#include "mellow/clip.h"
#include "mellow/finding.h"
#include "mellow/rate.h"
#include "mellow/recipe.h"

namespace mellow {

/// Looks at a baked clip; `source`: the rate that frames of its range are counted at.
Findings judge_ends(const Figure& figure, const Clip& clip, const RecipeClip& wanted,
                    const RecipeMotion& rules, FrameRate source);

}  // namespace mellow
