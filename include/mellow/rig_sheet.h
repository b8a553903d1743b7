// RigSheet: the rules that tie controls to joints, which no open scene format carries.
//
// A sheet is TOML (docs/rig-sheet.md). Reading it checks words and numbers; whether its names exist
// is checked when it is bound to a scene (rig.h). The order of rules in a sheet has no meaning.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "mellow/convention.h"
#include "mellow/place.h"
#include "mellow/result.h"
#include "mellow/rig_rules.h"

namespace mellow {

/// A number of the sheet's own over time: `curve` counts frames of the scene's rate.
struct Scalar {
    std::string name;
    Place where;
    ValueCurve curve;  ///< without points a drive rule sets it, or it stays at `value`
    double value = 0;
    bool keep = false;  ///< clips carry it as a scalar channel
    std::string unit;   ///< said with it
};

/// A rig sheet as it was read: names are looked up when it is bound.
struct RigSheet {
    std::string file;
    std::string prefix;  ///< put before each name that is not found without it
    Place prefix_at;     ///< where that stands, or would
    std::vector<Scalar> scalars;
    std::vector<Rule> rules;
};

/// Reads a sheet from its text; `file` is its name in messages. Axes and lengths in the sheet are
/// those of the scene file as it is, before any conversion. Fails with toml-broken, or with all
/// other mistakes at once, in the order of the text.
Result<RigSheet> parse_rig_sheet(std::string_view text, const std::string& file);

/// The same as far as it can be read: rules with nothing wrong but keys that nobody knows, so that
/// their names can be looked for as well. Mistakes go to `mistakes`.
RigSheet parse_rig_sheet(std::string_view text, const std::string& file, Findings& mistakes);

/// Takes axes and lengths of the rules along when the scene goes through convert().
void convert(RigSheet& sheet, const Conversion& conversion);

}  // namespace mellow
