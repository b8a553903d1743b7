// RigSheet: the rules that tie controls to joints, which no open scene format carries.
//
// A sheet is TOML (docs/rig-sheet.md). Reading it checks words and numbers; whether its names exist
// is checked when it is bound to a scene (rig.h). The order of rules in a sheet has no meaning.
#pragma once

#include <array>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "mellow/convention.h"
#include "mellow/result.h"

namespace mellow {

/// `node` takes the chosen parts of the world transform of `source`. With keep_offset the
/// difference that both have in the rest pose stays: world(node) == world(source) * offset.
struct FollowRule {
    std::string node, source;
    bool position = true, orientation = true, scale = false;
    bool keep_offset = true;
};

/// Two bones, start-mid and mid-end, bend in the plane of `pole` so that `end` reaches `goal`.
struct LimbRule {
    std::string start, mid, end, goal, pole;
    bool end_follows_goal = true;  ///< `end` also takes the goal's orientation, with rest offset
};

/// A point of a drive curve: at this angle the driven weight has this value.
struct CurvePoint {
    double degrees = 0, value = 0;
};

/// The swing or twist of `joint` away from its rest pose, through a curve, sets a morph weight.
struct DriveRule {
    std::string joint;
    bool twist = false;             ///< twist about `axis`, else the swing of `axis`
    Vec3 axis{0, 1, 0};             ///< unit, in the joint's own axes
    std::vector<CurvePoint> curve;  ///< ascending degrees, at least two; held beyond the ends
    bool smooth = false;            ///< smooth between points, else straight
    std::string mesh, target;
};

struct Rule {
    std::string where;  ///< file, line and rule number for messages
    std::variant<FollowRule, LimbRule, DriveRule> body;
};

/// "follow", "limb" or "drive".
std::string_view kind(const Rule& rule);

struct RigSheet {
    std::string file;
    std::string prefix;  ///< put before each name that is not found without it
    std::vector<Rule> rules;
};

/// Reads a sheet from its text; `file` is its name in messages. Axes in the sheet are those of the
/// scene file as it is, before any conversion.
Result<RigSheet> parse_rig_sheet(std::string_view text, const std::string& file);

/// Turns the axes in the rules with the scene: call it when the scene goes through convert().
void turn_axes(RigSheet& sheet, const Conversion& conversion);

}  // namespace mellow
