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
    Code::kDrivesDiffer};

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

bool apply_checks(const Checks& checks, Findings& findings, std::size_t first) {
    bool fails = false;
    const auto judged = [&](Finding& f) {
        if (const auto level = checks.find(f.code); level != checks.end()) {
            if (!level->second) return true;
            f.severity = *level->second;
        }
        fails = fails || f.severity == Severity::kStop;
        return false;
    };
    findings.erase(std::remove_if(findings.begin() + static_cast<std::ptrdiff_t>(first),
                                  findings.end(), judged),
                   findings.end());
    return fails;
}

}  // namespace mellow
