#include "recipe/checks.h"

#include <algorithm>
#include <array>

namespace mellow {
namespace {

/// What a recipe may judge for itself: everything that packing says of motion, figure and skin.
/// What makes a file unreadable or a crate unproven is no matter of choice; [proof] says how far
/// off is too far.
constexpr std::array kJudged{
    Code::kRangeOverlap, Code::kRangeOffGrid, Code::kRangeGap,     Code::kLoopOpen,
    Code::kSizeSuspect,  Code::kAxisSuspect,  Code::kRateSuspect,  Code::kScaledNode,
    Code::kUnbaked,      Code::kStillTail,    Code::kPrefix,       Code::kShear,
    Code::kZeroScale,    Code::kMissingJoint, Code::kUnweighted,   Code::kLeftOut,
    Code::kAssumed,      Code::kDefaultName,  Code::kTravelInHips, Code::kTravelAbsent,
    Code::kFastTurn,     Code::kWeightSum,    Code::kEqualSeeds,   Code::kNeverMoves,
    Code::kInfluences,   Code::kSkinRemoved,  Code::kRigidSkin,    Code::kNumberBad,
    Code::kSameContent,  Code::kHandSuspect,  Code::kFootSlide,    Code::kFootDepth,
    Code::kPop,          Code::kWheelTurn,    Code::kThroughPlane, Code::kLoopRepair,
    Code::kLeftBehind,   Code::kOverruled,    Code::kNoEffect,     Code::kRestShape,
    Code::kDrivesDiffer, Code::kTurnedStart,  Code::kTooShort,     Code::kLoopUnsaid,
    Code::kScaleNoise,   Code::kMeshRepeated};

}  // namespace

void read_checks(TomlTable& table, Checks& checks) {
    for (const Code code : kJudged) {
        const std::string key(name(code));
        if (!table.has(key)) continue;
        const std::string level = table.choice(key, {"fail", "warn", "note", "off"});
        if (level == "off")
            checks[code] = std::nullopt;
        else
            checks[code] = level == "fail"   ? Severity::kStop
                           : level == "warn" ? Severity::kWarning
                                             : Severity::kNote;
    }
    for (const Code code : kJudged) table.knows({std::string(name(code))});
}

std::optional<Severity> judged(const Checks& checks, const Finding& finding) {
    const auto level = checks.find(finding.code);
    return level == checks.end() ? finding.severity : level->second;
}

bool apply_checks(const Checks& checks, Findings& findings) {
    std::erase_if(findings, [&](Finding& f) {
        const std::optional<Severity> level = judged(checks, f);
        f.severity = level.value_or(f.severity);
        if (checks.contains(f.code))  // it is said already
            std::erase_if(f.edits, [](const Edit& edit) { return edit.table == "checks"; });
        return !level;
    });
    return std::any_of(findings.begin(), findings.end(),
                       [](const Finding& f) { return f.severity == Severity::kStop; });
}

}  // namespace mellow
