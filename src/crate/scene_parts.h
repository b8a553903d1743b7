// Taking parts out of a scene before it is written.
#pragma once

#include "mellow/write.h"

namespace mellow {

/// kSkin: without timelines. kMotion: without meshes, skins, materials, pictures and cameras; morph
/// weights become morph curves.
void keep_parts(Scene& scene, SceneParts parts);

/// Takes skinned meshes out from under other nodes, as glTF recommends (3.7.3.2): joints alone
/// place them. A node with children stays where it is.
void free_skinned_meshes(Scene& scene);

/// The joints of a skin hang on one node in the end (glTF 2.0, 3.7.3.1): where they do not, a node
/// is put above them, and that is said.
Findings join_roots(Scene& scene);

/// Removes pictures, textures and every reference to them. Says how many bytes that saves.
Findings drop_textures(Scene& scene);

}  // namespace mellow
