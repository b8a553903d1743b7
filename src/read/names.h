// Names that a file holds, made sound.
#pragma once

#include <string>

#include "mellow/read.h"

namespace mellow {

/// Turns names that are no UTF-8 into it, taking them as Latin-1 (every byte a letter of that
/// number), and says so. What is not UTF-8 could be written into no JSON file.
void decode_names(ReadResult& read, const std::string& file);

}  // namespace mellow
