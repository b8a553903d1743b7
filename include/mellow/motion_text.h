// Motion as text: joints at rest and every key of every timeline, one row of numbers for each
// moment, for people who look at what changed and for version control that compares line by line.
//
// Numbers are the shortest text that reads back as the same number, so what was written and read
// again is bit for bit what it was. Meshes, skins and pictures are not in it. docs/formats.md has
// the form with an example. Both functions may run on several threads at once.
#pragma once

#include <string>
#include <string_view>

#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

/// How such a text begins.
inline constexpr std::string_view kMotionTextHead = "mellow motion 1";

/// The nodes and timelines of a scene, numbers as they stand. Stacks under curves are composed
/// first (compose_stacks()). Weights of a mesh in the scene are written by its node and the names
/// of its targets. Fails with name-clash where two nodes have one name, with shear where a node has
/// one, and with limit for rows of no number.
Result<std::string> write_motion_text(Scene scene);

/// Reads such a text, numbers as they stand. Fails with motion-text-broken and the line, or with
/// limit beyond 200 000 nodes.
Result<Scene> read_motion_text(std::string_view text, const std::string& file);

}  // namespace mellow
