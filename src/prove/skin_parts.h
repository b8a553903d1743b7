// The meshes of a figure beside those of the skin file: what their vertices are compared by.
#pragma once

#include "mellow/prove.h"
#include "prove/proven_mesh.h"

namespace mellow {

struct SkinProof::Parts {
    ProofFigure figure;
    const Scene& skin;
    std::vector<Mount> mounts;
    std::vector<ProvenMesh> meshes;
    std::vector<MorphPair> morphs;
};

}  // namespace mellow
