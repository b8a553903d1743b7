// Carries a capture of one body over to another, and says what became of its feet.
// Usage: 11_carry_over ORCHARD   (a folder made by `mellow demo ORCHARD --data-only`)
#include <fmt/core.h>

#include "mellow/mellow.h"

namespace {

/// Local transforms of a take at the frames of its rate, frame after frame.
std::vector<mellow::Transform> sampled(const mellow::Take& take, int frames, double step) {
    std::vector<mellow::Transform> out;
    mellow::JointTile tile = take.make_tile();
    for (int k = 0; k < frames; ++k) {
        const double second = k * step;
        take.evaluate({&second, 1}, mellow::Take::Want::kLocals, tile);
        for (int j = 0; j < take.skeleton.size(); ++j) {
            const double* row = tile.local(j);
            const auto at = [row](int r) { return row[r * mellow::kTileFrames]; };
            out.push_back(
                {{at(0), at(1), at(2)}, {at(3), at(4), at(5), at(6)}, {at(7), at(8), at(9)}});
        }
    }
    return out;
}

mellow::Status carry(const std::filesystem::path& folder) {
    // Odo, the cooper, as he was captured; and Tamsin, at rest.
    MELLOW_TRY(mellow::ReadResult capture, mellow::read_scene(folder / "odo_lift.bvh"));
    capture.scene.convention.metres_per_unit = 0.01;
    mellow::to_inside(capture.scene);
    MELLOW_TRY(const mellow::ChosenJoints odo, mellow::choose_joints(capture.scene, {}));
    MELLOW_TRY(mellow::Rig plain, mellow::Rig::bind(capture.scene, 0, {}));
    const mellow::Take lift =
        mellow::play(capture.scene, std::make_shared<const mellow::Rig>(std::move(plain)),
                     odo.skeleton, odo.sources, {});
    MELLOW_TRY(mellow::ReadResult figure, mellow::read_scene(folder / "tamsin.glb"));
    figure.scene.convention = {0.01, mellow::Axis::kPlusZ, mellow::Axis::kMinusY};
    mellow::to_inside(figure.scene);
    MELLOW_TRY(const mellow::ChosenJoints tamsin, mellow::choose_joints(figure.scene, {}));

    MELLOW_TRY(const mellow::JointMatch match,
               mellow::match_figures(odo.skeleton, "odo", tamsin.skeleton, "tamsin"));
    for (const mellow::MapPair& pair : match.map.pairs)
        fmt::print("{:<18} {} -> {}\n", pair.key(), pair.motion[0], pair.figure[0]);
    MELLOW_TRY(const mellow::Carrier carrier,
               mellow::Carrier::make(odo.skeleton, tamsin.skeleton, match.map, {}));
    const int frames = 115;
    const mellow::CarriedMotion carried =
        carrier.carry(sampled(lift, frames, 1.0 / 30), frames, 1.0 / 30);
    const mellow::CarryReport& report = carried.report;
    fmt::print("ways times {:.3f}; {} contacts would slide by {:.1f} mm and do by {:.3f}\n",
               report.ratio, report.contacts, report.slide_before_mm, report.slide_mm);
    if (report.contacts == 4 && report.slide_mm < 0.1 && report.slide_before_mm > 10) return {};
    return mellow::Finding{
        mellow::Code::kFootSlide, mellow::Severity::kStop,          "odo_lift.bvh",
        "other feet than he has", "four contacts that stand still", ""};
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) return 2;
    const mellow::Status status = carry(argv[1]);
    if (!status) fmt::print(stderr, "{}\n", mellow::to_text(status.failure()));
    return status ? 0 : 3;
}
