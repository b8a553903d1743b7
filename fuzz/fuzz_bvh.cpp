// BVH: what is read can be posed, and written as glTF and read again with the same nodes and keys.
#include "fuzz.h"
#include "mellow/pose.h"
#include "mellow/read.h"
#include "mellow/stock.h"
#include "mellow/write.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    using namespace mellow;
    const auto first = read_bvh({reinterpret_cast<const char*>(data), size}, "fuzz.bvh");
    if (!first) {
        require(!first.failure().expected.empty(), "a failure says what was expected");
        return 0;
    }
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
    return 0;
}
