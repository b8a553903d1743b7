// Take: motion as a function of time on a skeleton, before anything is sampled.
//
// Whatever moves a figure is a take: keys and rules of its own file, or a motion file with joints
// of the same names. Baking samples it, proving compares the written files with it, and neither
// knows where it came from. Everything is in the inside convention, in double precision.
//
// Thread rule: immutable once made. evaluate() may run on several threads, each with its own tile.
#pragma once

#include <array>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "mellow/joint_source.h"
#include "mellow/joint_tile.h"
#include "mellow/parallel.h"
#include "mellow/rate.h"
#include "mellow/skeleton.h"

namespace mellow {

/// A node that carries vertices of the figure and is no joint of its skeleton: proving looks at
/// where it is, baking does not.
struct Mount {
    std::string name;
    int node = kNone;   ///< of the scene that moves it; kNone: it rests on its joint
    int joint = kNone;  ///< the joint it hangs on; kNone: the world
    Affine rest;        ///< its matrix at rest, relative to that joint
};

/// Morph weights of one mesh that a take carries, one number per target.
struct MorphChannels {
    std::string mesh;  ///< name of the mesh node
    std::vector<std::string> targets;
    std::vector<double> rest;  ///< the weights where nothing moves them, as many
};

/// Motion on a skeleton. Take one by value: what makes it is shared.
class Take {
  public:
    /// What a call of evaluate() is for. Locals are what is baked; worlds are what is measured.
    enum class Want { kLocals, kWorlds };
    /// Who makes the motion.
    class Motion {
      public:
        virtual ~Motion() = default;
        /// As those of the take.
        virtual JointTile make_tile() const = 0;
        virtual void evaluate(std::span<const double> seconds, Want want,
                              JointTile& tile) const = 0;
    };

    Skeleton skeleton;
    std::vector<Mount> mounts;
    std::vector<MorphChannels> morphs;  ///< their weights are the first scalars of a tile
    std::vector<NamedScalar> scalars;   ///< behind them, in this order
    std::shared_ptr<const Motion> motion;
    /// Tiles to borrow and give back: baking and proving of one take use the same ones.
    std::shared_ptr<Pool<JointTile>> tiles;

    /// A tile of the right size; one per thread.
    JointTile make_tile() const { return motion->make_tile(); }
    /// Fills a tile at up to kTileFrames times in seconds. Lanes beyond the last time repeat it.
    void evaluate(std::span<const double> seconds, Want want, JointTile& tile) const {
        motion->evaluate(seconds, want, tile);
    }
};

/// How the nodes of a scene become the joints of a take.
struct TakeParts {
    std::vector<Mount> mounts = {};
    /// The morph weights of the figure; not set: those of the scene itself.
    std::optional<std::vector<MorphChannels>> morphs = {};
};

/// The take that the nodes of `scene` make under `poses`: joint j is node sources[j].node, with
/// scale and axes as its source says, and a joint without a node rests on its parent. Helpers
/// between joints fold in. Both `scene` and what `poses` looks at must outlive it. `locals`: the
/// same poses, where only the worlds of take_needs() are right; for locals, which is faster.
Take take_of(const Scene& scene, const PoseSource& poses, const Skeleton& skeleton,
             const JointSources& sources, const TakeParts& parts = {},
             const std::optional<PoseSource>& locals = {});
/// Moves joints: is handed all of a skeleton as they rest, each relative to its parent, and leaves
/// them as they are at that moment. Metres, unit quaternions, inside.
using JointMover = std::function<void(double seconds, std::span<Transform> joints)>;
/// The take that a function makes, of no file and no rig. It has no end of its own: a plan says
/// which seconds of it are baked. Mounts go with their joints; morph weights rest. `move` may be
/// called from several threads at once, in any order of moments, and must give the same each time.
Take take_of(const Skeleton& skeleton, JointMover move, const TakeParts& parts = {});

/// The nodes whose world matrices a take of locals looks at: give them to Rig::source(), which then
/// leaves out what nobody needs.
std::vector<int> take_needs(const Scene& scene, const Skeleton& skeleton,
                            const JointSources& sources);

/// The mounts of a figure: nodes of meshes without skin, and nodes with weight in a mesh of `scene`
/// or of `unsimplified`, that are no joints; nullptr where there is no such scene.
std::vector<Mount> find_mounts(const Scene& scene, const Scene* unsimplified,
                               const Skeleton& skeleton, const JointSources& sources);
/// The morph weights of all mesh nodes of a scene.
std::vector<MorphChannels> morph_channels(const Scene& scene);

}  // namespace mellow
