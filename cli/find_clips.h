// Looking things up in files: `describe --clip` and `describe --joints`.
#pragma once

#include <string>
#include <vector>

#include "commands.h"

namespace mellow::cli {

/// Prints in which files the clips are whose names fit the pattern. Fails with name-unknown where
/// none does; files that cannot be read are told and passed over, where there are several.
int find_clips(const DescribeRequest& request, const std::vector<std::string>& files);
/// Prints the deform joints of a figure or a crate as a joint list (docs/target.md).
int list_joints(const DescribeRequest& request, const std::string& file);

}  // namespace mellow::cli
