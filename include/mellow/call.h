// Calls that a remedy speaks of: as data, for whoever has a form to put them in.
//
// The library has functions and their options; a tool, a script or a panel calls them by words of
// its own. What a finding's remedy asks of a call is therefore told as values: which job, on what,
// with which of its options. The remedy's text names none of them.
//
// Thread rule: plain values, no shared state.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace mellow {

/// A job with options of it, to be called so that a finding goes away.
struct Call {
    /// Which job: the one that told the finding, once more, or another.
    enum class Job { kSame, kConvert, kDescribe, kGather, kMatch, kPack };
    /// An option of a job: members of PackOptions, GatherOptions, ConvertOptions, CompareOptions,
    /// and what else a job is asked for.
    enum class Option {
        kDump,      ///< the file as text
        kFrom,      ///< PackOptions::from
        kHand,      ///< the hand that a source's axes form
        kMap,       ///< pairs of names
        kMatch,     ///< a pattern of clip names
        kMatrices,  ///< matrices in place of curves
        kOrder,     ///< order of Euler angles
        kOutput,    ///< where it goes
        kParts,     ///< which parts of a scene
        kRange,     ///< frames from and to
        kRecipe,    ///< GatherOptions::recipe
        kReplace,   ///< what stands there gives way
        kShare,     ///< number/of
        kTarget,    ///< a target's name or file
        kTextures,  ///< what becomes of pictures
        kTimeline,  ///< one of several
        kToRate,    ///< a rate to sample at
    };
    /// One option with its value; empty where it has none, or where only a person knows it.
    struct Asked {
        Option option;
        std::string value = {};
    };

    Job job = Job::kSame;
    std::string subject = {};  ///< the file or folder that another job is called on
    std::vector<Asked> asked = {};
};

/// How many jobs and options there are.
inline constexpr int kCallJobs = static_cast<int>(Call::Job::kPack) + 1;
inline constexpr int kCallOptions = static_cast<int>(Call::Option::kToRate) + 1;

/// The same job once more, with these options.
Call again(std::vector<Call::Asked> asked);
/// "same", "convert", "describe", "gather", "match" or "pack".
std::string_view name(Call::Job job);
/// "dump", "from" and so on: the stable name of an option.
std::string_view name(Call::Option option);

}  // namespace mellow
