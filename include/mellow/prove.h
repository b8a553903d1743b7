// Proving: what was written is read back and measured against the source it came from.
//
// The take is evaluated in double precision, rules and all; the files are played as an engine
// would play them. Compared at every sample: world positions, orientations and scales of all
// joints, all skinned vertices, all morph weights. Everything is in the inside convention. Nothing
// here knows where a take comes from: a rig, a file of joints and a computed motion are measured
// alike.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "mellow/joint_source.h"
#include "mellow/result.h"
#include "mellow/sample_plan.h"
#include "mellow/scene.h"
#include "mellow/skeleton.h"
#include "mellow/take.h"

namespace mellow {

/// A measured difference: the worst, where it is, and the mean over all that was compared.
struct Deviation {
    double worst = 0;
    int sample = 0;    ///< of the worst
    std::string what;  ///< joint, mesh or morph target of the worst
    double sum = 0;
    std::size_t count = 0;

    double mean() const { return count > 0 ? sum / static_cast<double>(count) : 0; }
    /// Counts one more value.
    void add(double value, int at_sample, const std::string& name);
    /// Counts all values of another.
    void merge(const Deviation& other);
};

/// The joints that one kind of rule drives, or several together ("follow + lag"); "keys" for the
/// others.
struct KindProof {
    std::string kind;
    int joints = 0;
    Deviation position_mm, rotation_degrees;
};

/// What was measured of one clip.
struct ClipProof {
    std::string clip;
    int samples = 0;
    bool pose = false;  ///< a single pose, which need not move
    Deviation position_mm, rotation_degrees;
    Deviation scale;  ///< of joints, relative: scale_apart()
    /// An upper bound: how far a vertex moves from its own, and what rounding made of its place.
    Deviation vertex_mm;
    Deviation weight;
    /// Of morph weights from what the drives that a crate's manifest names make of the joints in
    /// the same file, where it names any.
    Deviation driven_weight;
    Deviation scalar;  ///< of scalar channels, relative to their size where that is above 1
    std::vector<KindProof> kinds;  ///< by name
    /// How far vertices are from where the skin had them before it was simplified, where it was.
    Deviation simplified_mm;
    /// What ProofSource::accepted joints are off by, and vertices that they, or joints below them,
    /// carry.
    Deviation accepted_degrees, accepted_mm;
    int moving_joints = 0;  ///< joints whose own track changes
    int moving_morphs = 0;
    int moving_scalars = 0;  ///< scalar channels, those of travel among them
};

/// How far files may be off.
struct Tolerance {
    double mm = 0.05;
    double degrees = 0.01;
    double scale = 1e-4;   ///< of joints, relative
    double weight = 1e-4;  ///< of morph weights, and of scalars relative to their size
};

/// The figure as the source has it.
struct ProofFigure {
    const Scene& scene;
    const Skeleton& skeleton;
    const JointSources& sources;          ///< of the joints, in `scene`
    const Scene* unsimplified = nullptr;  ///< the scene with its skins as they were
    /// Nodes whose orientation may be off, and what they carry: measured apart.
    const std::vector<bool>* accepted = nullptr;
};

/// The figure beside the skin file that was written of it: made once, used for every clip. All
/// scenes must outlive it. Thread rule: immutable after make().
class SkinProof {
  public:
    /// `skin`: the file as read back, inside. Fails with proof-failed when a mesh is missing or has
    /// other vertices.
    static Result<SkinProof> make(const ProofFigure& figure, const Scene& skin);

    SkinProof(SkinProof&&) noexcept;
    SkinProof& operator=(SkinProof&&) noexcept;
    ~SkinProof();

    /// What takes have to carry besides joints, so that the meshes can be measured.
    const std::vector<Mount>& mounts() const;

    struct Parts;  ///< private to the prove stage
    const Parts& parts() const { return *parts_; }

  private:
    explicit SkinProof(std::unique_ptr<Parts> parts);
    std::unique_ptr<Parts> parts_;
};

/// Measures one clip: `clip` is its file as read back, inside; `plan` says where its samples stand
/// in the take. `driven_by`: for each joint what drives it, for `kinds`; empty for keys. Fails with
/// proof-failed when the files do not fit each other: a joint or a curve is missing, a joint hangs
/// on another, the number or the times of samples differ. `root_made`: joint 0 is nobody's to
/// compare, since travel has made it anew.
///
/// A vertex v with weights w is compared by the difference of its two matrices,
///   | sum w * (truth[j] - played[j]) * v |  +  what rounding its place in the file adds at most,
/// which needs one pose instead of two where the file has the influences of the source.
Result<ClipProof> prove_clip(const Take& take, const SamplePlan& plan, const SkinProof& figure,
                             const Scene& clip, const std::vector<std::string>& driven_by = {},
                             bool root_made = false);

/// Two skin files with the same joints and vertices, perhaps under other names, in another order,
/// written in another convention: paired once, so that clips on the second are measured by clips on
/// the first that are proven, which takes a fraction of the time.
///
/// What files are off by is at most what the first are off by and what the two differ by. That is
/// measured at every sample: worlds of all joints; and for vertices, with D the difference of a
/// joint's two matrices (world * inverse bind) and a ball of radius r around the centre c of all
/// that the joint carries, |D c| + |D| r, and what the places of vertices differ by. The sums are
/// upper bounds, place and sample those of the larger part. Both skins must outlive it.
///
/// Thread rule: immutable after make().
class LikeSkins {
  public:
    /// `names`: joints of the second and what they are called in the first; those that are not in
    /// it have one name. Nothing where the two do not have the same joints, vertices and weights.
    static std::optional<LikeSkins> make(const Scene& first, const Scene& second,
                                         const std::map<std::string, std::string>& names);
    /// Measures `clip` on the second skin by `first_clip`, the same clip on the first, for which
    /// `proof` was measured; both as read back, inside. Nothing where their samples, weights or
    /// scalars are not as many.
    std::optional<ClipProof> prove(const Scene& first_clip, const ClipProof& proof,
                                   const Scene& clip, const SamplePlan& plan) const;

  private:
    struct Parts;
    std::shared_ptr<const Parts> parts_;
};

/// Checks that every triangle of `source` is in the written skin and faces the same way: turned
/// over where the node of a mesh without skin mirrors it (glTF 2.0, 3.7.4), else as it was. Both
/// inside. Fails with proof-failed.
Status prove_winding(const Scene& source, const Scene& skin);

/// The finding that says which figure is above tolerance, at which joint and sample; or nothing is
/// wrong. A clip in which nothing moves fails with no-motion.
Status within(const ClipProof& proof, const Tolerance& tolerance);

}  // namespace mellow
