// BVH: what is read can be posed, and what is baked from it, written and read again moves as it
// did.
#include <algorithm>
#include <cmath>

#include "fuzz.h"
#include "mellow/bake.h"
#include "mellow/compare.h"
#include "mellow/pose.h"
#include "mellow/read.h"
#include "mellow/rig.h"
#include "mellow/stock.h"
#include "mellow/write.h"

namespace {

using namespace mellow;

/// Joints of a scene inside and the ends of its timeline, none of them beyond a kilometre.
bool moderate(const Scene& scene, double second) {
    const Pose pose = pose_at(scene, scene.timelines[0], second);
    return std::all_of(pose.worlds.begin(), pose.worlds.end(), [](const Affine& w) {
        return std::abs(w.o.x) < 1e3 && std::abs(w.o.y) < 1e3 && std::abs(w.o.z) < 1e3;
    });
}

/// Bakes up to twenty samples, writes and reads them.
void round_trip(Scene scene) {
    to_inside(scene);
    const auto span = key_span(scene.timelines[0]);
    const double frames = (span[1] - span[0]) * scene.rate.per_second();
    if (!(frames >= 1 && frames < 1e6)) return;
    SamplePlan plan{"clip", 0, 0, scene.rate, scene.rate, 0, false};
    plan.last_frame = std::min(19, static_cast<int>(frames));
    plan.samples = static_cast<int>(plan.last_frame) + 1;
    JointChoice all;
    all.keep_tips = true;
    const auto chosen = choose_joints(scene, all);
    const auto rig = Rig::bind(scene, 0, {});
    if (!chosen || !rig) return;
    // Beyond single precision nothing is written: the tool reads back and refuses.
    for (int k = 0; k < plan.samples; ++k)
        if (!moderate(scene, plan.second(k))) return;
    const Baked baked =
        bake(take_of(scene, rig.value().source(), chosen.value().skeleton, chosen.value().sources),
             plan);
    const auto text = write_bvh(chosen.value().skeleton, baked.clip, {});
    if (!text) return;
    auto again = read_bvh(text.value().text, "written.bvh");
    require(again.ok(), "what is written can be read");
    require(again.value().scene.nodes.size() >= chosen.value().skeleton.joints().size(),
            "every joint is there");
    const auto other = choose_joints(again.value().scene, all);
    require(other.ok(), "and is a joint");
    for (int k = 0; k < plan.samples; ++k) {
        const Pose a = pose_at(scene, scene.timelines[0], plan.second(k));
        const Pose b = pose_at(again.value().scene, again.value().scene.timelines[0],
                               again.value().scene.rate.seconds(k));
        for (int j = 0; j < chosen.value().skeleton.size(); ++j) {
            const int from = chosen.value().sources[static_cast<std::size_t>(j)].node;
            const int to = find_node(again.value().scene, chosen.value().skeleton[j].name);
            if (from == kNone || to == kNone) continue;
            const Vec3 way = a.worlds[static_cast<std::size_t>(from)].o -
                             b.worlds[static_cast<std::size_t>(to)].o;
            require(length(way) < 0.01, "joints stand where they stood");
        }
    }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const auto first = read_bvh({reinterpret_cast<const char*>(data), size}, "fuzz.bvh");
    if (!first) {
        require(!first.failure().expected.empty(), "a failure says what was expected");
        fuzz::outcome = "refused";
        return 0;
    }
    fuzz::outcome = "read";
    const Scene& scene = first.value().scene;
    require(parents_first(scene).size() == scene.nodes.size(), "the nodes are a forest");
    const Stock stock = take_stock(scene);
    require(stock.classes.size() == scene.nodes.size(), "every node has a class");
    for (const Timeline& timeline : scene.timelines)
        for (const Channel& channel : timeline.channels) {
            const Curve& c = channel.curve;
            require(c.values.size() == c.times.size() * static_cast<std::size_t>(c.width),
                    "keys are whole");
        }
    for (const Timeline& timeline : scene.timelines) (void)pose_at(scene, timeline, 0.5);
    if (!scene.timelines.empty()) round_trip(scene);
    return 0;
}
