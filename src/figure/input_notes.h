// What was read for a figure and its motions, and what is to be said of it.
#pragma once

#include <vector>

#include "mellow/manifest.h"

namespace mellow {

struct InputNotes {
    std::vector<FileRecord> files;     ///< as they were read, parts behind those that name them
    std::vector<SkippedFile> skipped;  ///< that could not be used, as the recipe allows
    Findings findings;

    /// Puts what was found later behind.
    void add(InputNotes more) {
        files.insert(files.end(), more.files.begin(), more.files.end());
        for (SkippedFile& file : more.skipped) skipped.push_back(std::move(file));
        append(findings, std::move(more.findings));
    }
};

}  // namespace mellow
