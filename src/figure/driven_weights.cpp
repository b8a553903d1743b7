#include "figure/driven_weights.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/at.h"
#include "math/degrees.h"

namespace mellow {
namespace {

/// One angle that a drive reads, of the joint as the file turns it.
struct Angle {
    Quat rest, still;                 ///< in the skin; in the clip, where it has no keys
    const Curve* rotation = nullptr;  ///< of the clip; four numbers a sample
    const KeptDrive::Input* input = nullptr;

    double value(std::size_t sample) const {
        Quat turn = still;
        if (rotation != nullptr) {
            const KeyValues& q = rotation->values;
            const std::size_t k = 4 * sample;
            turn = normalized(Quat{q[k], q[k + 1], q[k + 2], q[k + 3]});
        }
        const Quat away = conjugate(rest) * turn;
        const double angle =
            input->twist ? twist_angle(away, input->axis) : swing_angle(away, input->axis);
        return value_at(input->curve, angle * kDegrees);
    }
};

/// The joint of an input in both files; without a rotation where one of them lacks it.
std::optional<Angle> angle_of(const Scene& skin, const Scene& clip, const KeptDrive::Input& input) {
    const int in_skin = find_node(skin, input.joint), in_clip = find_node(clip, input.joint);
    if (in_skin == kNone || in_clip == kNone) return {};
    Angle out{skin.nodes[at(in_skin)].local.r, clip.nodes[at(in_clip)].local.r, nullptr, &input};
    for (const Channel& channel : clip.timelines[0].channels)
        if (channel.node == in_clip && channel.path == Path::kRotation)
            out.rotation = &channel.curve;
    return out;
}

}  // namespace

Deviation driven_weights(const Scene& skin, const Scene& clip,
                         const std::vector<KeptDrive>& drives) {
    Deviation out;
    for (const KeptDrive& drive : drives) {
        std::vector<Angle> angles;
        for (const KeptDrive::Input& input : drive.inputs)
            if (auto angle = angle_of(skin, clip, input)) angles.push_back(*angle);
        if (angles.size() != drive.inputs.size()) continue;
        for (const MorphCurve& morph : clip.timelines[0].morphs) {
            const auto found = std::find(morph.targets.begin(), morph.targets.end(), drive.target);
            if (morph.mesh != drive.mesh || found == morph.targets.end()) continue;
            const auto target = static_cast<std::size_t>(found - morph.targets.begin());
            for (std::size_t k = 0; k < morph.curve.times.size(); ++k) {
                double wanted = drive.product ? 1 : 0;
                for (const Angle& angle : angles)
                    wanted = drive.product ? wanted * angle.value(k) : wanted + angle.value(k);
                const double got = morph.curve.values[k * morph.targets.size() + target];
                out.add(std::abs(wanted - got), static_cast<int>(k),
                        drive.mesh + "/" + drive.target);
            }
        }
    }
    return out;
}

}  // namespace mellow
