// What two skin files of one figure have in common.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "mellow/scene.h"

namespace mellow {

/// What the two files of a mesh have in common.
struct PairedMesh {
    std::string name;
    double apart = 0;    ///< the most that a vertex is in another place, morphs apart
    double weights = 1;  ///< the largest sum of weights
    /// Of each morph target: the most that it moves a vertex, and that the two differ by.
    std::vector<double> reach, differs;
};

/// One matrix of a joint in both skins, whatever meshes it carries.
struct SharedMatrix {
    int first = kNone, second = kNone;  ///< nodes of the skins
    Affine first_bind, second_bind;
    struct Load {
        std::size_t mesh;  ///< of the meshes
        Vec3 centre;       ///< of a ball around all that it carries
        double radius;
    };
    std::vector<Load> loads;
};

/// Two skins with the same joints, vertices and weights.
struct PairedSkins {
    std::vector<int> partner;  ///< node of the first skin for each of the second
    std::vector<PairedMesh> meshes;
    std::vector<SharedMatrix> matrices;
};
/// `names`: joints of the second and what they are called in the first. Nothing where they are not
/// the same.
std::optional<PairedSkins> pair_skins(const Scene& first, const Scene& second,
                                      const std::map<std::string, std::string>& names);

}  // namespace mellow
