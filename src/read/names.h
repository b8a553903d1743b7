// Names that a file holds, made sound.
#pragma once

#include <string>

#include "mellow/read.h"

namespace mellow {

/// Turns names that are no UTF-8 into it, taking them as Latin-1 (every byte a letter of that
/// number), and says so. What is not UTF-8 could be written into no JSON file.
void decode_names(ReadResult& read, const std::string& file);
/// Knows again the cameras that convert() has split off from their nodes before the file was
/// written: "NODE.view" below NODE that only turns a camera, and that no key moves. No format that
/// is read has a place where this could be said.
void know_split_views(Scene& scene);

}  // namespace mellow
