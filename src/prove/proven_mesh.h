// One part of a mesh, as the source has it and as the skin file has it, prepared for comparing over
// many frames.
//
// The place of a vertex is sum w * M * v, with M the world matrix of a joint times its inverse bind
// matrix. A *blend* is a matrix that vertices are taken through, or the difference of two.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "mellow/joint_tile.h"
#include "mellow/scene.h"
#include "model/lanes.h"

namespace mellow {

/// truth: world of `body` times `truth`; minus: world of `played` times `written`. Either may be
/// missing (kNone).
struct Blend {
    int body = kNone;
    Affine truth;
    int played = kNone;
    Affine written;
};

/// One summand of a vertex.
struct Influence {
    std::uint32_t blend = 0;
    bool source_place = false;  ///< of the vertex as the source has it, else as it is written
    double weight = 0;
};

/// One vertex that has something to sum up.
struct VertexPair {
    std::uint32_t first = 0, last = 0;  ///< of Influences
    Vec3 source, written;               ///< its places without morphs
    double rounding = 0;    ///< metres that the written place is from the source's, weights summed
    double weights = 1;     ///< sum of its absolute weights
    int morph = kNone;      ///< its first MorphDelta
    bool accepted = false;  ///< measured apart
};

/// What one morph target does to one vertex.
struct MorphDelta {
    int target = 0;  ///< of the mesh
    Vec3 source, written;
    double source_size = 0, rounding = 0;  ///< metres, in the coordinates of the file
    bool last = false;                     ///< no further one of this vertex
};

struct ProvenMesh {
    std::string name;
    std::size_t vertices = 0, accepted = 0;  ///< all there are, those accepted among them
    bool simplified = false;                 ///< the source against itself before simplifying
    std::vector<Blend> blends;
    std::vector<Influence> influences;
    std::vector<VertexPair> list;
    std::vector<MorphDelta> deltas;
    int first_weight = 0;  ///< scalar of the take where its morph weights begin
    int morph = kNone;     ///< in the MorphPairs
};

/// Morph weights of one mesh, in the take and in the clip file.
struct MorphPair {
    std::string mesh;
    std::vector<std::string> targets;
    int first_weight = 0;
};

/// What a worker needs to measure meshes; made once per thread.
struct MeshWork {
    std::vector<double> blends;  ///< 12 rows each
};
/// Largest value and sum of one part over the frames of a tile, millimetres.
struct MeshFound {
    double worst[kTileFrames] = {}, sum[kTileFrames] = {};
};

/// Rows that meshes are measured with: worlds of bodies (joints, then mounts) and of nodes of the
/// skin file, morph weights as they should be and as they are.
struct MeshFrames {
    std::vector<WorldRows> bodies, played;
    const JointTile* truth = nullptr;
    std::vector<std::vector<const double*>> weights;  ///< [morph pair][target]
};

/// Fills `found`, and `apart` with the accepted vertices.
void measure(const ProvenMesh& mesh, const MeshFrames& frames, MeshWork& work, MeshFound& found,
             MeshFound& apart);

}  // namespace mellow
