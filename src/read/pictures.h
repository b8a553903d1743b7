// Pictures of a scene: known by how their bytes begin, and taken out with all that refers to them.
#pragma once

#include <vector>

#include "mellow/read.h"

namespace mellow {

/// "image/png" or "image/jpeg", by the first bytes (PNG, 3rd edition, 5.2; JPEG, ITU-T T.81,
/// B.1.1.3); empty for anything else.
std::string_view picture_kind(const Bytes& bytes);

/// Takes out the pictures that are `gone`, the textures that show nothing else, and every reference
/// to either in materials.
void remove_pictures(Scene& scene, const std::vector<bool>& gone);

/// Pictures without bytes were not found, which has been said; those whose bytes are no picture are
/// said. Both are taken out. A picture that calls itself by the wrong kind is called by the right
/// one.
void check_pictures(ReadResult& read, const std::string& file);

}  // namespace mellow
