// Every layout of every format in conventions of both hands, with what else a target can want, read
// by plain readers.

#include <fmt/format.h>
#include <gmock/gmock.h>

#include "packing.h"
#include "plain_bvh.h"
#include "plain_dae.h"
#include "plain_gltf.h"
#include "this_build.h"
#include "told.h"

namespace mellow::layouts_test {
namespace {

using namespace test;
using Places = std::map<std::string, std::array<double, 3>>;

constexpr const char* kLayouts[] = {"skin-and-clips", "skin-and-library", "one-file",
                                    "clips-with-skin"};
constexpr const char* kMorphs[] = {"keep", "bake", "drop"};

struct Case {
    std::string name, format, layout;
    Told told;
    bool first_frame, first_pose, open;
    std::size_t morphs;
    bool cameras;
};

/// Up +Y, +Z and -X, each with both hands, in metres and centimetres.
std::vector<Told> conventions() {
    std::vector<Told> out;
    for (const Told& told : all_conventions())
        if (((told.up == Axis::kPlusY && told.front == Axis::kPlusZ) ||
             (told.up == Axis::kPlusZ && told.front == Axis::kPlusX) ||
             (told.up == Axis::kMinusX && told.front == Axis::kMinusY)) &&
            told.unit == (told.hand < 0 || told.up == Axis::kPlusZ ? 0.01 : 1.0))
            out.push_back(told);
    return out;
}

/// COLLADA in all layouts and conventions, the others in all conventions; every two of what else
/// there is meet.
std::vector<Case> cases() {
    std::vector<Case> out;
    const auto told = conventions();
    EXPECT_EQ(told.size(), 6U);
    std::size_t n = 0;
    const auto add = [&](const std::string& format, std::size_t layout, std::size_t convention) {
        // Any two of these have all their pairs over the layouts and conventions.
        const bool a = (layout + convention) & 1, b = (layout / 2 + convention / 2) & 1;
        out.push_back({fmt::format("t{}", n), format, kLayouts[layout], told[convention], a, b,
                       a != b, (layout + convention) % 3, a != (layout > 1)});
        ++n;
    };
    for (std::size_t layout = 0; layout < 4; ++layout)
        for (std::size_t c = 0; c < 6; ++c) add("dae", layout, c);
    for (std::size_t c = 0; c < 6; ++c) add("glb", c % 4, c);
    for (std::size_t c = 0; c < 6; ++c) add("bvh", 0, c);
    return out;
}

std::string target_of(const Case& one) {
    std::string text = fmt::format(
        "[[target]]\nname = \"{}\"\nformat = \"{}\"\nlayout = \"{}\"\nup = \"{}\"\nfront = "
        "\"{}\"\nhand = \"{}\"\nunit = \"{}\"\nrate = 30\n",
        one.name, one.format, one.layout, name(one.told.up), name(one.told.front),
        one.told.hand < 0 ? "left" : "right", one.told.unit == 1 ? "metre" : "centimetre");
    if (one.first_frame) text += "first_frame = 1\n";
    if (one.first_pose) text += "first_pose = \"rest\"\n";
    if (one.open) text += "loop_form = \"open\"\n";
    if (!one.cameras) text += "cameras = \"leave-out\"\n";
    // COLLADA has no weights in a file without the mesh.
    const bool apart = one.format == "dae" && one.layout.starts_with("skin-and");
    const std::size_t morphs = apart && one.morphs == 0 ? 1 : one.morphs;
    return text + fmt::format("[[target.morphs]]\ndo = \"{}\"\n",
                              one.format == "bvh" ? "drop" : kMorphs[morphs]);
}

std::string path_of(const Case& one, const std::string& clip) {
    if (one.layout == "one-file") return "tamsin." + one.format;
    if (one.layout == "skin-and-library") return "tamsin_clips." + one.format;
    return "clips/" + clip + "." + one.format;
}

TEST(LayoutsTest, AllHoldTheSamePlacesInTheirAxes) {
    TempFolder folder;
    write_files(folder.path(), tamsin());
    const std::string whole = read_text(folder / "tamsin.recipe.toml");
    std::string text = whole.substr(0, whole.find("[target]")) +
                       "[travel]\nroot = \"root\"\nhips = \"hips\"\n[[clip]]\nname = "
                       "\"walk\"\nrange = [108, 132]\nloop = true\ntravel = [\"ground\"]\n"
                       "[[clip]]\nname = \"nod\"\nrange = [30, 40]\n[output]\nfolder = "
                       "\"out\"\npicture = false\n[[target]]\nname = \"plain\"\nconvention = "
                       "\"y-up-metre\"\nrate = 30\n";
    std::vector<Case> all = cases();
    // Sanitizers are slow: of each format a few are enough to walk through its code.
    if (sanitized()) std::erase_if(all, [n = 0](const Case&) mutable { return n++ % 7 != 0; });
    for (const Case& one : all) text += target_of(one);
    const auto parsed = parse_recipe(text, "tamsin.recipe.toml", folder.path());
    ASSERT_THAT(parsed, IsOk());
    const auto reports = pack_all(parsed.value(), {});
    ASSERT_THAT(reports, IsOk());
    for (const PackReport& report : reports.value())
        EXPECT_TRUE(report.proven) << report.name << grouped_text(report.findings);
    for (const char* clip : {"walk", "nod"}) {
        const std::string plain =
            read_text(folder / "out/plain/clips" / (std::string(clip) + ".glb"));
        const std::size_t samples = plain_gltf_times(plain, clip).size();
        for (const std::size_t k : {samples / 3, samples - 2}) {
            const auto want = plain_gltf_worlds(plain, clip, static_cast<int>(k));
            for (const Case& one : all) {
                const std::string bytes = read_text(folder / "out" / one.name / path_of(one, clip));
                const std::size_t key = k + (one.first_pose ? 1 : 0);
                Places got;
                if (one.format == "dae") {
                    got = plain_dae_places(bytes, clip, static_cast<double>(key) / 30);
                } else if (one.format == "bvh") {
                    got = plain_bvh_places(bytes, static_cast<int>(key), true);
                } else {
                    for (const auto& [name, node] :
                         plain_gltf_worlds(bytes, clip, static_cast<int>(key)))
                        got[name] = {node.world[0][3], node.world[1][3], node.world[2][3]};
                }
                double worst = 0;
                for (const auto& [name, node] : want) {
                    if (!one.cameras && name.find("camera") != name.npos) continue;
                    ASSERT_TRUE(got.contains(name)) << one.name << " " << name;
                    const auto there = file_vector(
                        one.told, {node.world[0][3], node.world[1][3], node.world[2][3]});
                    for (std::size_t c = 0; c < 3; ++c)
                        worst =
                            std::max(worst, std::abs(got.at(name)[c] * one.told.unit - there[c]));
                }
                EXPECT_LT(worst, 3e-6) << target_of(one) << clip << " " << k;
            }
        }
    }
}

}  // namespace
}  // namespace mellow::layouts_test
