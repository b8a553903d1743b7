// Two scene files, one behind the other with a line "----" between: each moves as itself does, and
// they differ from each other as much as the other way round.
#include <algorithm>
#include <cmath>
#include <string_view>

#include "fuzz.h"
#include "mellow/compare.h"
#include "mellow/read.h"

namespace {

using namespace mellow;

Result<ReadResult> read(std::string_view text) {
    const auto none = [](const std::string&) -> Result<Bytes> { return Bytes(); };
    auto scene = read_memory(Bytes(text.begin(), text.end()), "fuzz", none);
    if (scene) to_inside(scene.value().scene);
    return scene;
}

bool finite(const Deviation& d) { return std::isfinite(d.worst); }

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const std::string_view text(reinterpret_cast<const char*>(data), size);
    const auto cut = std::min(text.find("\n----\n"), text.size());
    fuzz::outcome = "refused";
    const auto a = read(text.substr(0, cut));
    if (!a) return 0;
    const auto same = compare_motion(a.value().scene, a.value().scene, {});
    fuzz::outcome = "alone";
    if (same) require(differences(same.value(), {}).empty(), "a scene moves as itself");
    if (cut == text.size()) return 0;
    const auto b = read(text.substr(cut + 6));
    if (!b) return 0;
    const auto there = compare_motion(a.value().scene, b.value().scene, {});
    if (!there) return 0;
    fuzz::outcome = "compared";
    const Comparison& c = there.value();
    require(finite(c.position_mm) && finite(c.rotation_degrees) && finite(c.scale),
            "differences are finite");
    return 0;
}
