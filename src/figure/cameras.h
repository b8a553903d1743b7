// Cameras of a source: each becomes a joint and a channel with its field of view.
#pragma once

#include <string>
#include <vector>

#include "mellow/joint_source.h"
#include "mellow/recipe.h"
#include "mellow/rig_sheet.h"
#include "mellow/scene.h"
#include "mellow/skeleton.h"

namespace mellow {

/// Splits every camera of the scene off its node (split_camera() in fit.h), with the axes the
/// recipe asks for, and adds to the sheet a scalar "NODE.fov" that clips keep, in degrees: what the
/// file says, or driven by the scalar that the recipe names. Between vertical and horizontal: tan(h
/// / 2) = aspect * tan(v / 2).
Status prepare_cameras(const Recipe& recipe, Scene& scene, RigSheet& sheet);

/// Name of the scalar with the field of view of a camera.
std::string fov_name(const std::string& camera);
/// Joints of cameras, by their names: they stand on a node with a camera.
std::vector<std::string> camera_joints(const Scene& scene, const Skeleton& skeleton,
                                       const JointSources& sources);

}  // namespace mellow
