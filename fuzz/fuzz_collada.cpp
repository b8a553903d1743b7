// COLLADA: what is read, composed, written and read again moves the same.
#include <algorithm>
#include <cmath>

#include "fuzz.h"
#include "mellow/pose.h"
#include "mellow/read.h"
#include "mellow/stock.h"
#include "mellow/write.h"

namespace {

using namespace mellow;

/// Numbers of a size that single and double precision, nine digits and degrees can all carry.
bool moderate(const Scene& scene) {
    const auto fine = [](double v) { return std::abs(v) < 1e4; };
    for (const Node& n : scene.nodes) {
        const double numbers[] = {n.local.t.x, n.local.t.y, n.local.t.z,
                                  n.local.s.x, n.local.s.y, n.local.s.z};
        if (!std::all_of(std::begin(numbers), std::end(numbers), fine)) return false;
    }
    for (const Timeline& t : scene.timelines)
        for (const Channel& c : t.channels) {
            if (c.curve.times.size() > 500 || !std::all_of(c.curve.values.doubles().begin(),
                                                           c.curve.values.doubles().end(), fine))
                return false;
            for (std::size_t k = 1; k < c.curve.times.size(); ++k)
                if (c.curve.times[k] - c.curve.times[k - 1] < 1e-3) return false;
        }
    return scene.rate.per_second() < 1000;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const LoadFile none = [](const std::string& name) -> Result<Bytes> {
        return Finding{
            Code::kFileMissing, Severity::kStop, Place::in(name), "no such file", "", ""};
    };
    ReadLimits limits;
    limits.unstored_bytes = 1 << 20;
    limits.nodes = 2000;
    auto first = read_collada(Bytes(data, data + size), "fuzz.dae", none, limits);
    if (!first) {
        require(!first.failure().found.empty(), "a failure says what was found");
        fuzz::outcome = "refused";
        return 0;
    }
    fuzz::outcome = "read";
    Scene& scene = first.value().scene;
    (void)take_stock(scene);
    for (const Timeline& t : scene.timelines) {
        // Long empty stretches make many keys: legal, but slow to look at a million times.
        const auto span = key_span(t);
        if (span[1] - span[0] > 5 || span[1] > 1000) return 0;
        for (const Affine& m : pose_at(scene, t, 0.5).worlds)
            if (!(std::abs(m.o.x) + std::abs(m.o.y) + std::abs(m.o.z) < 1e5)) return 0;
    }
    (void)compose_stacks(scene);
    if (!moderate(scene)) return 0;
    const auto written = write_collada(scene, "again");
    if (!written) {
        require(written.failure().code == Code::kNameClash, "names are all that stops writing");
        return 0;
    }
    fuzz::outcome = "written";
    const auto& bytes = written.value().files[0].bytes;
    auto second = read_collada(Bytes(bytes.begin(), bytes.end()), "again.dae", none, ReadLimits{});
    if (!second) std::fprintf(stderr, "%s\n", to_text(second.failure()).c_str());
    require(second.ok(), "what was written is read again");
    const Scene& again = second.value().scene;
    require(scene.nodes.size() == again.nodes.size(), "as many nodes");
    require(scene.meshes.size() == again.meshes.size(), "as many meshes");
    require(scene.skins.size() == again.skins.size(), "as many skins");
    const Pose a = rest_pose(scene), b = rest_pose(again);
    // Nodes are written depth first; equal trees have equal sums.
    double sum_a = 0, sum_b = 0;
    for (const Affine& m : a.worlds) sum_a += m.o.x + 2 * m.o.y + 3 * m.o.z;
    for (const Affine& m : b.worlds) sum_b += m.o.x + 2 * m.o.y + 3 * m.o.z;
    require(std::abs(sum_a - sum_b) <=
                1e-4 * (1 + std::abs(sum_a)) * static_cast<double>(a.worlds.size()),
            "the same places");
    return 0;
}
