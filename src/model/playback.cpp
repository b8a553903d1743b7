#include "mellow/playback.h"

#include <fmt/format.h>

#include <algorithm>
#include <unordered_map>

namespace mellow {

Result<Playback> Playback::make(const Scene& skin, const Scene& clip) {
    const auto unfit = [](Code code, std::string found, std::string expected) {
        return Finding{code,
                       Severity::kStop,
                       "clip on skin",
                       std::move(found),
                       std::move(expected),
                       "use a clip and a skin of one crate"};
    };
    if (clip.timelines.size() != 1)
        return unfit(Code::kNoMotion, fmt::format("{} animations", clip.timelines.size()),
                     "one animation");
    Playback out;
    out.skin_ = &skin;
    out.clip_ = &clip;
    out.rest_ = rest_pose(skin);
    std::unordered_map<std::string_view, int> by_name;
    for (std::size_t n = 0; n < clip.nodes.size(); ++n)
        by_name.emplace(clip.nodes[n].name, static_cast<int>(n));
    std::vector<bool> joint(skin.nodes.size(), false);
    for (const Skin& s : skin.skins)
        for (const int j : s.joints) joint[static_cast<std::size_t>(j)] = true;
    const ScalarLayout layout = scalar_layout(skin);
    for (std::size_t n = 0; n < skin.nodes.size(); ++n) {
        const Node& node = skin.nodes[n];
        const auto found = by_name.find(node.name);
        out.clip_nodes_.push_back(found != by_name.end() ? found->second : kNone);
        if (joint[n] && found == by_name.end())
            return unfit(Code::kNameUnknown, fmt::format("no joint \"{}\" in the clip", node.name),
                         "every joint of the skin");
        if (layout.offset[n] == kNone) continue;
        const auto& morphs = clip.timelines[0].morphs;
        const auto curve = std::find_if(morphs.begin(), morphs.end(),
                                        [&](const MorphCurve& m) { return m.mesh == node.name; });
        if (curve == morphs.end() && found != by_name.end() &&
            morph_count(clip, found->second) == morph_count(skin, static_cast<int>(n))) {
            // A whole scene: weights are channels of the mesh, or rest.
            const auto& channels = clip.timelines[0].channels;
            for (std::size_t c = 0; c < channels.size(); ++c)
                if (channels[c].path == Path::kWeights && channels[c].node == found->second)
                    out.morphs_.push_back({layout.offset[n], static_cast<int>(c), true});
            continue;
        }
        if (curve == morphs.end() ||
            static_cast<int>(curve->targets.size()) != morph_count(skin, static_cast<int>(n)))
            return unfit(Code::kNameUnknown,
                         fmt::format("no weights for mesh \"{}\" in the clip", node.name),
                         "one curve per morph target");
        out.morphs_.push_back({layout.offset[n], static_cast<int>(curve - morphs.begin()), false});
    }
    for (const int n : parents_first(skin)) {
        const auto at = static_cast<std::size_t>(n);
        if (out.clip_nodes_[at] == kNone && skin.nodes[at].parent != kNone)
            out.carried_.push_back({n, skin.nodes[at].parent, local_matrix(skin.nodes[at])});
    }
    return out;
}

Pose Playback::pose(double seconds) const {
    const Pose motion = pose_at(*clip_, timeline(), seconds);
    Pose out = rest_;
    for (std::size_t n = 0; n < clip_nodes_.size(); ++n)
        if (clip_nodes_[n] != kNone)
            out.worlds[n] = motion.worlds[static_cast<std::size_t>(clip_nodes_[n])];
    for (const Carried& c : carried_)
        out.worlds[static_cast<std::size_t>(c.node)] =
            out.worlds[static_cast<std::size_t>(c.parent)] * c.local;
    for (const MorphSlot& slot : morphs_)
        sample(slot.channel ? timeline().channels[static_cast<std::size_t>(slot.curve)].curve
                            : timeline().morphs[static_cast<std::size_t>(slot.curve)].curve,
               false, {&seconds, 1}, &out.weights[static_cast<std::size_t>(slot.scalar)]);
    return out;
}

}  // namespace mellow
