// Proving: what was written is read back and measured against the source it came from.
//
// The source is evaluated in double precision, rules and all; the files are played as an engine
// would play them. Compared at every sample: world positions and orientations of all joints, all
// skinned vertices, all morph weights. Everything is in the inside convention.
#pragma once

#include <string>
#include <vector>

#include "mellow/joint_source.h"
#include "mellow/pose_tile.h"
#include "mellow/result.h"
#include "mellow/sample_plan.h"
#include "mellow/scene.h"
#include "mellow/skeleton.h"

namespace mellow {

/// A measured difference: the worst, where it is, and the mean over all that was compared.
struct Deviation {
    double worst = 0;
    int sample = 0;    ///< of the worst
    std::string what;  ///< joint, mesh or morph target of the worst
    double sum = 0;
    std::size_t count = 0;

    double mean() const { return count > 0 ? sum / static_cast<double>(count) : 0; }
    void add(double value, int at_sample, const std::string& name);
    void merge(const Deviation& other);
};

/// The joints that one kind of rule drives, or several together ("follow + lag"); "keys" for the
/// others.
struct KindProof {
    std::string kind;
    int joints = 0;
    Deviation position_mm, rotation_degrees;
};

struct ClipProof {
    std::string clip;
    int samples = 0;
    bool pose = false;  ///< a single pose, which need not move
    Deviation position_mm, rotation_degrees, vertex_mm, weight;
    Deviation scalar;  ///< of scalar channels, relative to their size where that is above 1
    std::vector<KindProof> kinds;  ///< by name
    /// How far vertices are from where the skin had them before it was simplified, where it was.
    Deviation simplified_mm;
    /// What ProofSource::accepted joints are off by, and vertices that they, or joints below them,
    /// carry.
    Deviation accepted_degrees, accepted_mm;
    int moving_joints = 0;  ///< joints whose own track changes
    int moving_morphs = 0;
};

struct Tolerance {
    double mm = 0.05;
    double degrees = 0.01;
    double weight = 1e-4;  ///< of morph weights, and of scalars relative to their size
};

/// Where a clip came from.
struct ProofSource {
    const Scene& scene;
    const PoseSource& poses;
    const SamplePlan& plan;
    const Skeleton& skeleton;
    const JointSources& sources;
    /// For each node what drives it, for `kinds`; empty for keys.
    const std::vector<std::string>* driven_by = nullptr;
    const Scene* unsimplified = nullptr;  ///< the scene with its skins as they were
    /// Nodes whose orientation may be off, and what they carry: measured apart.
    const std::vector<bool>* accepted = nullptr;
};

/// Measures one clip. `skin` and `clip` are the scenes read back from the written files, converted
/// inside. Fails with proof-failed when the files do not fit each other: a joint or a curve is
/// missing, the number or the times of samples differ.
Result<ClipProof> prove_clip(const ProofSource& source, const Scene& skin, const Scene& clip);

/// Checks that every triangle of `source` is in the written skin and faces the same way: turned
/// over where the node of a mesh without skin mirrors it (glTF 2.0, 3.7.4), else as it was. Both
/// inside. Fails with proof-failed.
Status prove_winding(const Scene& source, const Scene& skin);

/// The finding that says which figure is above tolerance, at which joint and sample; or nothing is
/// wrong. A clip in which nothing moves fails with no-motion.
Status within(const ClipProof& proof, const Tolerance& tolerance);

}  // namespace mellow
