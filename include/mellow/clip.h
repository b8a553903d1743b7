// Clip: uniform samples of motion on a skeleton, and what a player must know about them.
//
// ClipInfo is what a player must know and what people are told; Samples are the numbers. A clip is
// both. Crates and reports carry ClipInfo alone: their samples are in files.
//
// Sample k stands at k / rate seconds; a clip starts at 0. Samples are single precision, made from
// double arithmetic and rounded once. Everything is local to the parent joint, in the inside
// convention. Counting: `samples` samples are `samples - 1` intervals; a looping clip says its
// period in intervals, which is one more than that when its closing sample has been dropped.
#pragma once

#include <array>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "mellow/rate.h"
#include "mellow/transform.h"

namespace mellow {

/// `translation` and `scale` hold 3 numbers per sample, `rotation` 4 (x y z w, on one hemisphere).
struct JointTrack {
    std::vector<float> translation, rotation, scale;
};

/// Morph weights of one mesh: weights[sample * targets.size() + target].
struct MorphTrack {
    std::string mesh;  ///< name of the mesh node
    std::vector<std::string> targets;
    std::vector<float> weights;
};

/// A number over time that is neither a joint nor a morph weight: the field of view of a camera, a
/// scalar of the rig sheet.
struct ScalarTrack {
    std::string name, unit;  ///< "yard_camera.fov", "degrees vertical"
    std::vector<float> values;
};

/// In which form a clip stores its loop.
enum class LoopForm {
    kOnce,    ///< plays once
    kClosed,  ///< the last sample repeats the first; period = samples - 1
    kOpen,    ///< the closing sample is dropped; period = samples
};
/// "once", "closed" or "open".
std::string_view name(LoopForm form);

/// The channels that hold the travel of a clip whose root stays, in this order: travel_channels().
inline constexpr std::array<const char*, 4> kTravelChannels{"travel.left", "travel.up",
                                                            "travel.ahead", "travel.turn"};

/// What was moved from the hips to the root, and the figures an engine or a person asks for.
struct Travel {
    bool ground = false, height = false, heading = false;  ///< which parts the root carries
    bool channels = false;  ///< they are channels of the clip, and the root stays
    double distance_m = 0;  ///< on the ground, straight from first to last sample
    double path_m = 0;      ///< on the ground, along the way
    double height_change_m = 0;
    double heading_change_rad = 0;  ///< about up, counter-clockwise seen from above, unwrapped
    double speed_m_s = 0;           ///< path over seconds
    /// Which way the figure heads at the first sample, about up from its front: start_heading().
    /// Nothing where nobody has measured it.
    std::optional<double> start_heading_rad;
    /// What one loop adds: inverse(root at start) * (root at end), as place and heading.
    Vec3 step;
    double step_heading_rad = 0;
};

/// What a player or a person is told of a clip beside its motion; no sample depends on it.
struct ClipLabels {
    std::string group;       ///< empty: none
    double speed = 1;        ///< how fast to play it: 0.25 takes four times as long
    bool backwards = false;  ///< to be played from its end to its start
    int id = -1;             ///< number of the clip in a game; -1: none
    std::vector<std::pair<std::string, std::string>> tags;

    bool operator==(const ClipLabels&) const = default;
};

/// A moment or a span of a clip that a game is told of: a step, a snip, a sound.
struct Cue {
    std::string name;
    double first = 0, last = 0;  ///< seconds of the clip; the same for a moment
    std::string joint;           ///< where it happens; empty: nowhere
    std::vector<std::pair<std::string, std::string>> tags;
    std::vector<std::pair<std::string, double>> values;

    bool operator==(const Cue&) const = default;
};

/// What is known of a clip without its samples.
struct ClipInfo {
    std::string name;
    ClipLabels labels;
    std::vector<Cue> cues;  ///< by time
    FrameRate rate;
    int samples = 0;  ///< how many there are
    LoopForm loop = LoopForm::kOnce;
    int period = 0;  ///< intervals of one round of the loop; samples - 1 when it plays once
    Travel travel;

    /// Of one round of the loop, or of playing it once.
    double seconds() const { return rate.seconds(period); }
};

/// The numbers of a clip, sample after sample in each track.
struct Samples {
    std::vector<JointTrack> joints;  ///< one per joint of the skeleton
    std::vector<MorphTrack> morphs;
    std::vector<ScalarTrack> scalars;
};

struct Clip : ClipInfo, Samples {};

/// Calls visit(values, width) with the numbers of each track in turn: `width` of them are one
/// sample. Translation, rotation and scale of each joint come first, then morph weights, then
/// scalars.
template <class Visit>
void for_each_track(Samples& samples, const Visit& visit) {
    for (JointTrack& track : samples.joints) {
        visit(track.translation, std::size_t{3});
        visit(track.rotation, std::size_t{4});
        visit(track.scale, std::size_t{3});
    }
    for (MorphTrack& track : samples.morphs) visit(track.weights, track.targets.size());
    for (ScalarTrack& track : samples.scalars) visit(track.values, std::size_t{1});
}

/// The local transform of one joint at one sample.
Transform local_at(const JointTrack& track, int sample);
/// Rounds `local` into one sample of the track.
void store(JointTrack& track, int sample, const Transform& local);
/// Tracks of `samples` identity samples for `joints` joints.
std::vector<JointTrack> make_tracks(int joints, int samples);

}  // namespace mellow
