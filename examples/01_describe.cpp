// Reads a scene and says what is inside: conventions, height, what moves, what to look out for.
// Usage: 01_describe ORCHARD   (a folder made by `mellow demo ORCHARD --data-only`)
#include <fmt/core.h>

#include "mellow/mellow.h"

int main(int argc, char** argv) {
    if (argc != 2) return 2;
    const auto read = mellow::read_scene(std::filesystem::path(argv[1]) / "tamsin.glb");
    if (!read) {
        fmt::print(stderr, "{}\n", mellow::to_text(read.failure()));
        return 3;
    }
    mellow::Scene scene = read.value().scene;
    const mellow::Stock claimed = mellow::take_stock(scene);
    for (const mellow::Finding& finding : claimed.findings)
        fmt::print("{}\n", mellow::to_text(finding));

    // The file claims metres and +Y up. Say what its numbers really are, then look again.
    scene.convention = {0.01, mellow::Axis::kPlusZ, mellow::Axis::kMinusY};
    const mellow::Stock stock = mellow::take_stock(scene);
    fmt::print("\n{:.2f} m tall; moving:", stock.height_m);
    for (const mellow::MovingSpan& span : stock.timelines[0].moving)
        fmt::print(" {}..{}", span.first, span.last);
    fmt::print("\n");
    return stock.height_m > 1.6 && stock.height_m < 1.8 ? 0 : 1;
}
