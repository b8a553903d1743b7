// Generated files of the size that a capture day leaves behind.
#pragma once

#include <filesystem>
#include <string>

namespace mellow::bench {

/// A folder that lives as long as the program.
const std::filesystem::path& folder();
/// 60 joints turning in six-decimal numbers, about 50 MB.
const std::string& big_bvh();
/// 100 joints with three Euler curves each, keyed at every frame, about 50 MB.
const std::string& big_collada();
/// 200 clips of 100 joints over 60 frames: 40 000 channels that share their times.
const std::string& big_glb();
/// 24 BVH files of 2 MB.
const std::string& many_bvh();

}  // namespace mellow::bench
