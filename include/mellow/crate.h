// Opening a crate: its manifest and its files, read back.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "mellow/clip.h"
#include "mellow/result.h"
#include "mellow/scene.h"

namespace mellow {

struct Crate {
    std::string name;
    Convention convention;
    Scene skin;                  ///< in the inside convention
    std::vector<Clip> clips;     ///< what the manifest says; the samples are in `motions`
    std::vector<Scene> motions;  ///< one per clip, in the inside convention
};

/// Reads the manifest of a crate folder and all files it names, and checks their sizes and hashes.
/// Fails with file-missing, value-bad for a manifest that is none, or as read_scene() does.
Result<Crate> open_crate(const std::filesystem::path& folder);

/// How many clips a contact sheet shows at most: pictures have an end.
inline constexpr std::size_t kMostDrawn = 40;

/// Draws a crate as a contact sheet (sheet.h), PNG: the first kMostDrawn clips.
Result<std::vector<std::uint8_t>> draw_crate(const Crate& crate);

}  // namespace mellow
