// Rig sheets on a figure: refused, or bound; then what is evaluated is finite, the same in one tile
// as in two, and can be lifted or refused.
#include <cmath>

#include "figure.h"
#include "fuzz.h"
#include "mellow/lift.h"
#include "mellow/rig.h"

namespace {

using namespace mellow;

bool finite(Vec3 v) { return std::isfinite(v.x) && std::isfinite(v.y) && std::isfinite(v.z); }
bool finite(const Affine& a) { return finite(a.x) && finite(a.y) && finite(a.z) && finite(a.o); }

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    static const Scene scene = fuzz::figure();
    const auto sheet =
        parse_rig_sheet({reinterpret_cast<const char*>(data), size}, "fuzz.rig.toml");
    fuzz::outcome = sheet ? "unbound" : "refused";
    if (!sheet) return 0;
    const auto rig = Rig::bind(scene, 0, sheet.value());
    if (!rig) {
        require(rig.failure().where.file == "fuzz.rig.toml", "a failure says where");
        return 0;
    }
    fuzz::outcome = "bound";
    PoseTile whole = rig.value().source().make_tile(), half = rig.value().source().make_tile();
    const std::vector<double> times{0, 0.25, 0.5, 0.75, 1};
    rig.value().evaluate(times, whole);
    rig.value().evaluate(std::span(times).subspan(2, 1), half);
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        for (int f = 0; f < 5; ++f)
            require(finite(whole.world(static_cast<int>(n), f)), "worlds are finite");
        const Affine a = whole.world(static_cast<int>(n), 2),
                     b = half.world(static_cast<int>(n), 0);
        require(a.o.x == b.o.x && a.o.y == b.o.y && a.o.z == b.o.z && a.x.x == b.x.x,
                "a moment does not depend on its neighbours");
    }
    const auto lifted = lift(scene, sheet.value(), scene, 0);
    if (!lifted) return 0;
    fuzz::outcome = "lifted";
    for (const Channel& channel : lifted.value().timeline.channels)
        for (const double v : channel.curve.values.list())
            require(std::isfinite(v), "keys are finite");
    return 0;
}
