#include "mellow/clip.h"

namespace mellow {

std::string_view name(LoopForm form) {
    switch (form) {
        case LoopForm::kOnce:
            return "once";
        case LoopForm::kClosed:
            return "closed";
        case LoopForm::kOpen:
            return "open";
    }
    return "once";
}

Transform local_at(const JointTrack& track, int sample) {
    const auto k = static_cast<std::size_t>(sample);
    const float* t = &track.translation[3 * k];
    const float* r = &track.rotation[4 * k];
    const float* s = &track.scale[3 * k];
    // A stored quaternion is unit to single precision only; the rest of the length is not scale.
    return {{t[0], t[1], t[2]}, normalized(Quat{r[0], r[1], r[2], r[3]}), {s[0], s[1], s[2]}};
}

void store(JointTrack& track, int sample, const Transform& local) {
    const auto k = static_cast<std::size_t>(sample);
    const auto f = [](double v) { return static_cast<float>(v); };
    const double t[3] = {local.t.x, local.t.y, local.t.z};
    const double r[4] = {local.r.x, local.r.y, local.r.z, local.r.w};
    const double s[3] = {local.s.x, local.s.y, local.s.z};
    for (std::size_t i = 0; i < 3; ++i) track.translation[3 * k + i] = f(t[i]);
    for (std::size_t i = 0; i < 4; ++i) track.rotation[4 * k + i] = f(r[i]);
    for (std::size_t i = 0; i < 3; ++i) track.scale[3 * k + i] = f(s[i]);
}

std::vector<JointTrack> make_tracks(int joints, int samples) {
    const auto n = static_cast<std::size_t>(samples);
    std::vector<JointTrack> tracks(static_cast<std::size_t>(joints));
    for (JointTrack& track : tracks) {
        track.translation.resize(3 * n);
        track.rotation.resize(4 * n);
        track.scale.resize(3 * n);
        for (std::size_t k = 0; k < n; ++k) {
            track.rotation[4 * k + 3] = 1.0F;
            for (std::size_t i = 0; i < 3; ++i) track.scale[3 * k + i] = 1.0F;
        }
    }
    return tracks;
}

}  // namespace mellow
