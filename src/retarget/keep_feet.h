// Feet that stand still: soles laid flat, balls pinned, hips shifted and lowered, legs solved last.
#pragma once

#include "retarget/contacts.h"
#include "retarget/figure_poses.h"

namespace mellow {

/// Which samples count for a report: the others are rounds around a clip that goes round.
void keep_feet(FigurePoses& poses, const SourcePoses& source, const BoundMap& map,
               const Contacts& contacts, double ground_m, double step, Span counted,
               CarryReport& report);

/// Hands that are near one another keep the way between them, times the ratio of arm lengths: half
/// of what is missing to each. Arms change nothing else.
void keep_hands(FigurePoses& poses, const SourcePoses& source, const BoundMap& map);

}  // namespace mellow
