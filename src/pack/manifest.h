// Opening the manifest of a crate: the only place where crate.json is parsed and checked. It is
// data from outside, also where we wrote it once: every member is looked at before any is used.
#pragma once

#include <filesystem>

#include "crate/json_members.h"
#include "mellow/crate.h"
#include "mellow/target.h"

namespace mellow {

/// The version of manifests that packing writes, and the only one that is read.
inline constexpr int kManifestVersion = 2;

/// A manifest of which everything that docs/crate.md names is there and of its kind: version,
/// paths of regular files inside the folder, counts, rates, axes, lists of one length that belong
/// together, clips with one name each, figures within the tolerance.
struct Manifest {
    std::filesystem::path folder;
    Bytes text;
    JsonMembers json;
    std::string name;
    Target target;  ///< as far as reading files needs it

    /// Something else that is wrong with it.
    Finding bad(std::string found) const;
};

/// Fails with value-bad where it is no such manifest, and where it is that of a part and parts are
/// refused; as read_file() does where there is none.
Result<Manifest> open_manifest(const std::filesystem::path& folder, Parts parts);

/// Nothing where the folder has no crate.json, or one of a version before ours, from which nothing
/// can be taken over.
Result<std::optional<Manifest>> open_standing_manifest(const std::filesystem::path& folder);

/// A path of a manifest as a file of the crate: fails where it leads out of the folder, also by a
/// link.
Status check_inside(const std::filesystem::path& folder, const std::string& file);

}  // namespace mellow
