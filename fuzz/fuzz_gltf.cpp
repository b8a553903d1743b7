// glTF: what is read, written and read again is the same scene, within single precision.
#include <algorithm>
#include <cmath>

#include "fuzz.h"
#include "mellow/pose.h"
#include "mellow/read.h"
#include "mellow/stock.h"
#include "mellow/write.h"

namespace {

using namespace mellow;

bool near(double a, double b) { return std::abs(a - b) <= 1e-5 * (1 + std::abs(a)); }

void compare(const Scene& a, const Scene& b) {
    require(a.nodes.size() == b.nodes.size() && a.meshes.size() == b.meshes.size() &&
                a.skins.size() == b.skins.size() && a.timelines.size() == b.timelines.size(),
            "as many of everything");
    for (std::size_t n = 0; n < a.nodes.size(); ++n) {
        const Transform &x = a.nodes[n].local, &y = b.nodes[n].local;
        require(a.nodes[n].name == b.nodes[n].name && a.nodes[n].parent == b.nodes[n].parent,
                "the same tree");
        require(near(x.t.x, y.t.x) && near(x.t.y, y.t.y) && near(x.t.z, y.t.z) &&
                    near(x.s.x, y.s.x) && near(std::abs(dot(x.r, y.r)), 1),
                "the same places");
    }
    for (std::size_t m = 0; m < a.meshes.size(); ++m)
        for (std::size_t p = 0; p < a.meshes[m].primitives.size(); ++p) {
            const Primitive &x = a.meshes[m].primitives[p], &y = b.meshes[m].primitives[p];
            require(x.positions == y.positions && x.indices == y.indices &&
                        x.influences_per_vertex == y.influences_per_vertex &&
                        x.targets.size() == y.targets.size(),
                    "the same vertices");
        }
    for (std::size_t t = 0; t < a.timelines.size(); ++t) {
        const auto &x = a.timelines[t].channels, &y = b.timelines[t].channels;
        require(x.size() == y.size(), "as many channels");
        for (std::size_t c = 0; c < x.size(); ++c) {
            require(x[c].node == y[c].node && x[c].path == y[c].path, "the same targets");
            require(x[c].curve.times.size() == y[c].curve.times.size(), "as many keys");
            for (std::size_t i = 0; i < x[c].curve.values.size(); ++i)
                require(near(x[c].curve.values[i], y[c].curve.values[i]), "the same values");
        }
    }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    // Files beside it hold any bytes.
    const LoadFile none = [&](const std::string& name) -> Result<Bytes> {
        if (name.empty() || name[0] == 'x')
            return Finding{
                Code::kFileMissing, Severity::kStop, Place::in(name), "no such file", "", ""};
        return Bytes(data, data + std::min<std::size_t>(size, 1 << 16));
    };
    ReadLimits limits;
    limits.unstored_bytes = 1 << 20;
    const auto first = read_gltf(Bytes(data, data + size), "fuzz.glb", none, limits);
    if (!first) {
        if (first.failure().found.empty())
            std::fprintf(stderr, "%s\n", to_text(first.failure()).c_str());
        require(!first.failure().found.empty(), "a failure says what was found");
        fuzz::outcome = "refused";
        return 0;
    }
    fuzz::outcome = "read";
    const Scene& scene = first.value().scene;
    (void)take_stock(scene);
    for (const Timeline& timeline : scene.timelines) (void)pose_at(scene, timeline, 0.5);
    const auto bytes = write_glb(scene);
    const auto second =
        read_gltf(Bytes(bytes.begin(), bytes.end()), "again.glb", none, ReadLimits{});
    if (!second) std::fprintf(stderr, "%s\n", to_text(second.failure()).c_str());
    require(second.ok(), "what was written is read again");
    compare(scene, second.value().scene);
    return 0;
}
