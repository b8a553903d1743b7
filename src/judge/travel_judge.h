// What is said of how a clip travels: what its hips do that the root does not carry, a root that
// goes by itself, things that stay behind.
#pragma once

#include "figure/figure.h"
#include "mellow/clip.h"
#include "mellow/finding.h"
#include "mellow/recipe.h"
#include "mellow/travel.h"

namespace mellow {

/// Hips that go no farther than this need nothing on the root.
inline constexpr double kDrift_m = 0.3001;  ///< 0.3 m, and what rounding makes of it

/// Looks at a baked clip.
Findings judge_travel(const Figure& figure, const Clip& clip, const RecipeClip& wanted);
/// The key that carries what a clip asks of travel, and these besides.
Edit carrying(const TravelParts& asked, bool ground, bool height);

}  // namespace mellow
