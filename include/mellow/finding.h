// A finding: one thing the library has to say about a file, a recipe or a result.
//
// Findings are data. The library never prints them; the tool does. A finding that stops the work
// travels as the failure of a Result; the others are collected and reported.
//
// Thread rule: plain values, no shared state.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "mellow/call.h"
#include "mellow/place.h"

namespace mellow {

/// How much a finding matters. `note` is harmless, `warning` wants a look, `stop` ends the work.
enum class Severity { kNote, kWarning, kStop };

/// What a finding is about. The names returned by name() are stable and are what `--json` prints;
/// docs/findings.md explains each one.
enum class Code {
    kFileMissing,
    kFileUnreadable,
    kFormatUnknown,
    kGltfBroken,
    kGltfUnsupported,
    kGltfReference,
    kBvhBroken,
    kCsvBroken,
    kMotionTextBroken,
    kColladaBroken,
    kColladaUnsupported,
    kColladaReference,
    kNumberBad,
    kNodeCycle,
    kLimit,
    kTomlBroken,
    kKeyUnknown,
    kKeyMissing,
    kValueBad,
    kNameUnknown,
    kNameClash,
    kRuleCycle,
    kRuleClash,
    kRangeEmpty,
    kRangeOutside,
    kRangeOverlap,
    kRangeOffGrid,
    kLoopOpen,
    kOutputExists,
    kOutputUnwritable,
    kProofFailed,
    kNoMotion,
    kNoJoints,
    kSizeSuspect,
    kAxisSuspect,
    kHandSuspect,
    kScaledNode,
    kUnbaked,
    kStillTail,
    kPrefix,
    kShear,
    kZeroScale,
    kMissingJoint,
    kUnweighted,
    kLeftOut,
    kAssumed,
    kDefaultName,
    kTravelInHips,
    kFastTurn,
    kWeightSum,
    kEqualSeeds,
    kNeverMoves,
    kInfluences,
    kSkinRemoved,
    kRigidSkin,
    kRateSuspect,
    kTravelAbsent,
    kRangeGap,
    kSkeletonDiffers,
    kSameContent,
    kTargetUnmet,
    kRestShape,
    kDrivesDiffer,
    kFootSlide,
    kWheelTurn,
    kThroughPlane,
    kStateUnreached,
    kStateStuck,
    kStateSeam,
    kWayOpen,
    kBlendLong,
    kCueUnreached,
    kShareMissing,
    kShareDiffers,
    kFootDepth,
    kPop,
    kLoopRepair,
    kLeftBehind,
    kOverruled,
    kNoEffect,
    kTurnedStart,
    kWayShadowed,
    kTooShort,
    kLoopUnsaid,
    kScaleNoise,
    kMeshRepeated,
    kUsage,
};

/// Of how many kinds findings are.
inline constexpr int kCodes = static_cast<int>(Code::kUsage) + 1;

/// A key that wants another value: of a table of a recipe, a rig sheet or a target.
struct Edit {
    std::string
        table;  ///< "source", without brackets; empty: the table that the finding's place is in
    std::string key;
    std::string value;  ///< as TOML writes it; empty where only a person knows it
};

/// One thing to say. All texts are whole phrases for a person; any may be empty except `found`.
struct Finding {
    Code code = Code::kValueBad;
    Severity severity = Severity::kStop;
    Place where;
    std::string found;
    std::string expected;
    std::string remedy;            ///< what to do; where it can be, a line to paste into a recipe
    std::vector<Edit> edits = {};  ///< the keys that the remedy names, for those that set them
    std::vector<Call> calls = {};  ///< what it asks of calls, which its text has no words for
};

using Findings = std::vector<Finding>;

/// Puts findings behind others.
void append(Findings& to, Findings more);
/// Puts those behind others that these do not say yet: of the same code and place, and found alike.
void say_once(Findings& to, const Findings& more);

/// The stable name of a code, such as "range-outside".
std::string_view name(Code code);
/// Every code there is, in the order of the enum.
std::vector<Code> all_codes();
/// "note", "warning" or "stop".
std::string_view name(Severity severity);
/// Edits of one table as lines to paste: `unit = "inch"   # under [source]`. `why` ends the comment
/// of the first line: ", if it is meant".
std::string edit_lines(const std::vector<Edit>& edits, std::string_view why = {});

/// The finding as two to four lines of text without a final line break:
/// `stop[range-outside] where` then `found:`, `expected:` and `do:` where there is something to
/// say.
std::string to_text(const Finding& finding);

}  // namespace mellow
