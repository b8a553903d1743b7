// The motion files of a draft: which of them are read alike and are one [[source]], and which of
// those become clips alike and are one [[clips]].
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "mellow/travel.h"
#include "one/draft_truth.h"

namespace mellow {

/// What was measured of the motion in one file.
struct MotionFacts {
    TravelParts travel;
    std::string calibrated;  ///< why its first frame is a pose of its own; empty where it is none
    bool loop = false, open = false, fit = false, loop_guess = false;
    std::string looped;  ///< why
};

/// Files in one folder that are said to be the same.
struct DraftedSource {
    std::string name;                     ///< its own
    std::string pattern;                  ///< which these files fit and no other; or one file
    std::string folder;                   ///< the innermost, by its name
    std::vector<const FileDraft*> files;  ///< in order
};

/// The sources of all files but the first, which is the figure. `from` is the recipe's folder.
std::vector<DraftedSource> group_sources(const std::vector<FileDraft>& files,
                                         const std::filesystem::path& from);

/// The files of a source by what is to be said of their clips, in order of the first of each.
std::vector<std::vector<const FileDraft*>> alike(const DraftedSource& source,
                                                 const std::map<std::string, MotionFacts>& facts);

}  // namespace mellow
