// What roots carry and which way clips begin: in the manifest, as demands of a target, and one of
// many that is turned.
#include <fmt/format.h>

#include <cmath>
#include <map>
#include <set>

#include "mellow/check.h"
#include "mellow/crate.h"
#include "small_figure.h"

namespace mellow {
namespace {

using namespace test;
using namespace testing;
namespace fs = std::filesystem;

/// Hips that go a metre in 48 frames, first ahead, from frame 72 on headed 50 degrees to the left.
class CheckRootTest : public SmallFigure {
  protected:
    static std::vector<Keyed> keys() {
        return {keyed(0, "translation", 96,
                      [](int f) {
                          return Three{0, 1, f / 48.0};
                      }),
                keyed(0, "rotation", 96, [](int f) {
                    const double half = f < 72 ? 0 : 25 * std::acos(-1) / 180;
                    return Three{0, std::sin(half), 0, std::cos(half)};
                })};
    }
    /// Four clips; `travel` is what all carry.
    static std::string text(const std::string& target, const std::string& travel = "\"ground\"",
                            const std::string& turned = "") {
        std::string out =
            "[source]\nfile = \"figure.glb\"\n[output]\nfolder = \"out\"\npicture = "
            "false\n[target]\nrate = 24\n" +
            target;
        for (const auto& [name, first, last] :
             {std::tuple("a", 0, 24), std::tuple("b", 24, 48), std::tuple("c", 48, 71),
              std::tuple("turned", 72, 96)})
            out += fmt::format("[[clip]]\nname = \"{}\"\nrange = [{}, {}]\ntravel = [{}]\n{}", name,
                               first, last, travel, std::string(name) == "turned" ? turned : "");
        return out;
    }
    std::map<std::string, std::string> unmet(const PackReport& report) const {
        std::map<std::string, std::string> out;
        const CheckReport checked = check_crate(folder_ / "out").value();
        std::set<std::string> seen;
        for (const Demand& d : checked.demands) {
            EXPECT_TRUE(seen.insert(d.file + "/" + d.id).second)
                << d.file << d.id << " stands twice";
            if (!d.met) out[d.id + " " + d.file] = d.found;
        }
        EXPECT_EQ(out.size(), report.unmet);
        return out;
    }
};

TEST_F(CheckRootTest, StartHeadingsAreToldAndOneThatIsTurnedIsNamed) {
    const PackReport report = pack(keys(), text("convention = \"z-up-centimetre-left\"\n"));
    const auto found = of_code(report, Code::kTurnedStart);
    ASSERT_THAT(found, SizeIs(1));
    EXPECT_THAT(found[0].where.text(), HasSubstr("\"turned\""));
    EXPECT_THAT(found[0].found, HasSubstr("headed +50 degrees, 3 of 4 clips begin at +0"));
    const Crate crate = open_crate(folder_ / "out").value();
    for (const ClipInfo& clip : crate.clips)
        EXPECT_NEAR(*clip.travel.start_heading_rad * 180 / std::acos(-1),
                    clip.name == "turned" ? 50 : 0, 1e-4);
    // In axes of the other hand a turn to the left counts below zero.
    EXPECT_THAT(read_text(folder_ / "out/crate.json"),
                ContainsRegex("\"start_heading_degrees\": -(50|49\\.99)"));
    // With the remedy it begins ahead, and nobody says anything.
    const PackReport mended = pack(keys(), text("", "\"ground\"", "start = \"origin\"\n"));
    EXPECT_THAT(of_code(mended, Code::kTurnedStart), SizeIs(0));
    EXPECT_NEAR(*mended.clips[3].clip.travel.start_heading_rad, 0, 1e-6);
    // What the root carries counts where it carries heading.
    const PackReport carried = pack(keys(), text("", "\"ground\", \"heading\""));
    EXPECT_NEAR(*carried.clips[3].clip.travel.start_heading_rad, 50 * std::acos(-1) / 180, 1e-6);
}

TEST_F(CheckRootTest, ATargetDemandsWhatRootsCarryAndHowClipsBegin) {
    const std::string rules =
        "starts_ahead = 30\n"
        "[[target.root_carries]]\nclips = [\"a\"]\ntravel = [\"ground\", \"height\"]\n"
        "[[target.root_carries]]\nclips = [\"b\"]\ntravel = []\n"
        "[[target.root_carries]]\ntravel = [\"ground\"]\n";
    const PackReport report = pack(keys(), text(rules));
    EXPECT_FALSE(report.proven);
    const fs::path rejected = folder_ / "out.rejected-1";
    fs::rename(rejected, folder_ / "out");
    EXPECT_THAT(unmet(report), ElementsAre(Pair("root-carries clips/b.glb",
                                                HasSubstr("it carries ground; the hips go 0.50 m")),
                                           Pair("starts-ahead clips/turned.glb", "+50.0 degrees")));
    // A root that stays while the hips go is missed; one whose channels hold the travel is not.
    const std::string ground = "[[target.root_carries]]\ngroups = [\"*\"]\ntravel = [\"ground\"]\n";
    const PackReport stays = pack(keys(), text(ground, ""));
    EXPECT_EQ(stays.unmet, 4U) << "all of them go half a metre";
    const PackReport channels =
        pack(keys(), text(ground, "\"ground\"", "travel_as = \"channels\"\n"));
    EXPECT_EQ(channels.unmet, 0U);
    // Rules are written down with the target, and mistakes in them are told.
    EXPECT_THAT(read_text(folder_ / "out/target.toml"),
                HasSubstr("[[root_carries]]\ngroups = [\"*\"]\ntravel = [\"ground\"]"));
    EXPECT_THAT(pack_text(folder_, text("[[target.root_carries]]\ntravel = [\"grund\"]\n"), true),
                FailsWith(Code::kValueBad, "\"grund\""));
    EXPECT_THAT(pack_text(folder_, text("[[target.root_carries]]\nclips = [\"a\"]\n"), true),
                FailsWith(Code::kKeyMissing, "travel"));
}

}  // namespace
}  // namespace mellow
