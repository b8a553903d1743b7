// Joint lists of targets, and skeletons that are fitted to them.
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "mellow/check.h"
#include "mellow/crate.h"
#include "mellow/joint_fit.h"
#include "mellow/target.h"
#include "mellow/write.h"
#include "packing.h"
#include "plain_bvh.h"
#include "plain_gltf.h"
#include "rigs.h"

namespace mellow::joint_list_test {
namespace {

using nlohmann::json;

using namespace test;

using test::read_text;

using namespace testing;

namespace fs = std::filesystem;

// ------------------------------------------------------------------------------------- joint lists

TEST(JointListTest, IndentationIsTheTree) {
    const auto list = parse_joint_list(
        "# all of them\nroot\n  pelvis   # hips\n    spine 0 0 12.5\n\n  hand L\n  tail\nother\n",
        "list.txt");
    ASSERT_THAT(list, IsOk());
    std::vector<std::pair<std::string, int>> got;
    for (const ListedJoint& joint : list.value().joints) got.emplace_back(joint.name, joint.parent);
    EXPECT_THAT(got,
                ElementsAre(std::pair("root", -1), std::pair("pelvis", 0), std::pair("spine", 1),
                            std::pair("hand L", 0), std::pair("tail", 0), std::pair("other", -1)));
    EXPECT_EQ(list.value().joints[2].place->z, 12.5);
    EXPECT_FALSE(list.value().joints[3].place);
}

TEST(JointListTest, MistakesAreNamedByTheirLine) {
    EXPECT_THAT(parse_joint_list("a\n  b\n  a\n", "l.txt"), FailsWith(Code::kNameClash, "l.txt:3"));
    EXPECT_THAT(parse_joint_list("a\n    b\n  c\n", "l.txt"),
                FailsWith(Code::kValueBad, "l.txt:3"));
    EXPECT_THAT(parse_joint_list("  a\nb\n", "l.txt"), FailsWith(Code::kValueBad, "l.txt:2"));
    EXPECT_THAT(parse_joint_list("# nothing\n", "l.txt"), FailsWith(Code::kValueBad, "no joint"));
}

Skeleton arm() {
    return Skeleton::make({{"root", -1, {}},
                           {"shoulder", 0, {{0, 1.4, 0}, test::turn({0, 0, 1}, 30), {1, 1, 1}}},
                           {"twist", 1, {{0.1, 0, 0}, test::turn({1, 0, 0}, 20), {1, 1, 1}}},
                           {"elbow", 2, {{0.2, 0, 0}, test::turn({0, 1, 0}, -40), {1, 1, 1}}},
                           {"wrist", 3, {{0.25, 0, 0.01}, {}, {1, 1, 1}}}})
        .value();
}

Clip waving(const Skeleton& skeleton) {
    Clip clip;
    clip.name = "wave";
    clip.rate = {30, 1};
    clip.samples = 40;
    clip.period = 39;
    clip.joints = make_tracks(skeleton.size(), clip.samples);
    for (int k = 0; k < clip.samples; ++k)
        for (int j = 0; j < skeleton.size(); ++j) {
            Transform t = skeleton[j].rest;
            t.r = t.r * test::turn({0.6, 0, 0.8}, 15.0 * k * (j + 1) / 4);
            t.t = t.t + Vec3{0.01 * k * (j == 0 ? 1 : 0), 0, 0};
            store(clip.joints[static_cast<std::size_t>(j)], k, t);
        }
    return clip;
}

/// World matrix of a joint at a sample, multiplied up with 4x4 matrices written out here.
test::PlainMatrix plain_world(const Skeleton& skeleton, const Clip& clip, int joint, int sample) {
    test::PlainMatrix out{};
    for (std::size_t i = 0; i < 4; ++i) out[i][i] = 1;
    for (int j = joint; j >= 0; j = skeleton[j].parent) {
        const JointTrack& track = clip.joints[static_cast<std::size_t>(j)];
        const auto k = static_cast<std::size_t>(sample);
        const double x = track.rotation[4 * k], y = track.rotation[4 * k + 1],
                     z = track.rotation[4 * k + 2], w = track.rotation[4 * k + 3];
        const double r[3][3] = {
            {1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)},
            {2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)},
            {2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)}};
        test::PlainMatrix m{}, product{};
        for (std::size_t a = 0; a < 3; ++a) {
            for (std::size_t b = 0; b < 3; ++b)
                m[a][b] = r[a][b] * static_cast<double>(track.scale[3 * k + b]);
            m[a][3] = track.translation[3 * k + a];
        }
        m[3][3] = 1;
        for (std::size_t a = 0; a < 4; ++a)
            for (std::size_t b = 0; b < 4; ++b)
                for (std::size_t c = 0; c < 4; ++c) product[a][b] += m[a][c] * out[c][b];
        out = product;
    }
    return out;
}

double apart(const test::PlainMatrix& a, const test::PlainMatrix& b) {
    double worst = 0;
    for (std::size_t r = 0; r < 4; ++r)
        for (std::size_t c = 0; c < 4; ++c) worst = std::max(worst, std::abs(a[r][c] - b[r][c]));
    return worst;
}

TEST(JointFitTest, OrderNamesAndParentsAreTheListsAndTheWorldStays) {
    const Skeleton own = arm();
    JointRules rules;
    // Another order, another parent for the wrist, the twist joint gone, a socket in its place.
    rules.list =
        parse_joint_list("base\n  hand\n  upper\n    socket 0.05 0 0\n    lower\n", "l.txt")
            .value();
    rules.renames = {
        {"root", "base"}, {"wrist", "hand"}, {"shoulder", "upper"}, {"elbow", "lower"}};
    rules.drop_surplus = rules.fill_missing = true;
    const auto fit = fit_joints(own, rules, {});
    ASSERT_THAT(fit, IsOk());
    EXPECT_THAT(fit.value().surplus, ElementsAre("twist"));
    EXPECT_THAT(fit.value().filled, ElementsAre("socket"));
    EXPECT_THAT(fit.value().moved, ElementsAre("hand on base, in the figure on lower"));
    const Clip clip = waving(own), fitted = fit_clip(clip, own, fit.value());
    const Skeleton& skeleton = fit.value().skeleton;
    const std::map<std::string, int> same{{"base", 0}, {"hand", 4}, {"upper", 1}, {"lower", 3}};
    for (int k = 0; k < clip.samples; ++k) {
        for (const auto& [name, joint] : same)
            EXPECT_LT(apart(plain_world(skeleton, fitted, skeleton.find(name), k),
                            plain_world(own, clip, joint, k)),
                      2e-6)
                << name << " " << k;
        if (k == 0) continue;
        const float* q = &fitted.joints[1].rotation[static_cast<std::size_t>(4 * k)];
        EXPECT_GE(q[0] * q[-4] + q[1] * q[-3] + q[2] * q[-2] + q[3] * q[-1], 0) << k;
    }
    EXPECT_EQ(fitted.joints[3].translation[0], 0.05F) << "the socket rests where the list has it";
    // What keeps its parent keeps its very samples.
    EXPECT_EQ(fitted.joints[0].rotation, clip.joints[0].rotation);
}

TEST(JointFitTest, WhatDoesNotFitIsNamedWithTheNearest) {
    JointRules rules;
    rules.list = parse_joint_list("root\n  shoulder\n    elbo\n      wrist\n", "l.txt").value();
    EXPECT_THAT(fit_joints(arm(), rules, {}),
                FailsWith(Code::kSkeletonDiffers,
                          "5 joints against 4 in l.txt; surplus in the figure: twist, elbow (near: "
                          "elbo); missing in the figure: elbo (near: elbow)"));
    // Leave to drop and fill is no leave to take another figure's list.
    rules.list = parse_joint_list("Hips\n  Spine\n", "l.txt").value();
    rules.drop_surplus = rules.fill_missing = true;
    EXPECT_THAT(fit_joints(arm(), rules, {}),
                FailsWith(Code::kSkeletonDiffers, "no joint of the list is in the figure"));
    rules.list = {};
    rules.most = 4;
    EXPECT_THAT(fit_joints(arm(), rules, {}), FailsWith(Code::kLimit, "5 joints"));
    rules.most = 0;
    rules.renames = {{"twist", "elbow"}};
    EXPECT_THAT(fit_joints(arm(), rules, {}), FailsWith(Code::kNameClash, "both named \"elbow\""));
}

// ----------------------------------------------------------------------------- layouts and formats

/// Tamsin's recipe with other targets and no picture, in a folder of its own.
class ListedTest : public testing::Test {
  protected:
    void SetUp() override {
        test::write_files(folder_.path(), test::tamsin());
        recipe_ = read_text(folder_ / "tamsin.recipe.toml");
    }
    /// The recipe with this in place of its [target].
    std::string with(const std::string& target) const {
        const auto from = recipe_.find("[target]"), to = recipe_.find("[travel]");
        return recipe_.substr(0, from) + target + "\n" + recipe_.substr(to);
    }
    Result<std::vector<PackReport>> pack(const std::string& target, bool replace = false) {
        MELLOW_TRY(const Recipe parsed,
                   parse_recipe(with(target), "tamsin.recipe.toml", folder_.path()));
        PackOptions options;
        options.replace = replace;
        auto reports = pack_all(parsed, options);
        if (!reports) return reports;
        for (const PackReport& report : reports.value()) {
            EXPECT_TRUE(report.proven) << report.target.name;
            for (const Finding& f : report.findings)
                if (f.severity == Severity::kStop) {
                    ADD_FAILURE() << to_text(f);
                }
        }
        return reports;
    }
    std::string file(const std::string& name) const {
        return read_text(folder_ / "crates/tamsin" / name);
    }
    json manifest(const std::string& target) const {
        return json::parse(file(target + "/crate.json"));
    }

    TempFolder folder_;
    std::string recipe_;
};

TEST_F(ListedTest, AListReordersRenamesDropsAndFills) {
    write_text(
        folder_ / "list.txt",
        "anchor\n  pelvis\n    thigh.R\n      shin.R\n        foot.R\n    thigh.L\n      shin.L\n"
        "        foot.L\n    spine\n      chest\n        head\n          cap 0 0.2 0\n");
    write_text(folder_ / "list.target.toml",
               "joints = \"list.txt\"\nsurplus = \"drop\"\nmissing = \"fill\"\nroot = \"anchor\"\n"
               "[rename]\nhips = \"pelvis\"\n");
    const auto reports = pack(
        "[[target]]\nconvention = \"y-up-metre\"\n[[target]]\nfile = "
        "\"list.target.toml\"\n");
    ASSERT_THAT(reports, IsOk());
    const PackReport& report = reports.value()[1];
    EXPECT_THAT(report.joints,
                ElementsAre("anchor", "pelvis", "thigh.R", "shin.R", "foot.R", "thigh.L", "shin.L",
                            "foot.L", "spine", "chest", "head", "cap"));
    EXPECT_EQ(report.root, "anchor");
    EXPECT_EQ(report.hips, "pelvis");
    const std::string plain = file("y-up-metre/clips/pick.glb"),
                      listed = file("list/clips/pick.glb");
    const auto names = plain_gltf_names(listed);
    EXPECT_EQ(names, report.joints) << "tracks in the order of the list";
    const std::map<std::string, std::string> own{{"anchor", "root"}, {"pelvis", "hips"}};
    for (const int k : {0, 60, 120}) {
        const auto want = plain_gltf_worlds(plain, "pick", k),
                   got = plain_gltf_worlds(listed, "pick", k);
        for (const std::string& name : names) {
            if (name == "cap") continue;
            const auto renamed = own.find(name);
            EXPECT_LT(apart(got.at(name).world,
                            want.at(renamed == own.end() ? name : renamed->second).world),
                      3e-6)
                << name;
        }
        // The cap rests above the head: its place in the axes of the head.
        const auto& head = got.at("head").world;
        for (std::size_t c = 0; c < 3; ++c)
            EXPECT_NEAR(got.at("cap").world[c][3], head[c][3] + 0.2 * head[c][1], 1e-6);
    }
    const std::string pick = file("y-up-metre/clips/pick.glb");
    // What moves vertices is told, with how far.
    bool told = false;
    for (const Finding& f : of_code(report, Code::kInfluences))
        told = told || f.found.find(" mm from where") != f.found.npos;
    EXPECT_TRUE(told);
    EXPECT_THAT(of_code(report, Code::kMissingJoint), SizeIs(1));
    // Where its places are the rest pose, joints rest there and move as they did.
    fs::remove_all(folder_ / "crates");
    write_text(folder_ / "list.txt",
               "root\n  hips\n    spine\n      chest 0 31 0\n        head 2 40 0\n");
    const auto resting = pack(
        "[target]\nunit = \"cm\"\njoints = \"list.txt\"\nsurplus = \"drop\"\nrest = \"list\"\n",
        true);
    ASSERT_THAT(resting, IsOk());
    const auto rest = plain_gltf_worlds(file("tamsin.glb"), "", 0);
    const auto& chest = rest.at("chest").world;
    for (std::size_t c = 0; c < 3; ++c)
        EXPECT_NEAR(rest.at("head").world[c][3], chest[c][3] + 2 * chest[c][0] + 40 * chest[c][1],
                    1e-4);
    EXPECT_THAT(of_code(resting.value()[0], Code::kSkeletonDiffers), SizeIs(0))
        << "nothing rests elsewhere than the list has it";
    EXPECT_THAT(of_code(resting.value()[0], Code::kRestShape), SizeIs(1));
    const auto in_metres = plain_gltf_worlds(pick, "pick", 77);
    for (const auto& [name, node] : plain_gltf_worlds(file("clips/pick.glb"), "pick", 77))
        for (std::size_t c = 0; c < 3; ++c)
            EXPECT_NEAR(node.world[c][3], 100 * in_metres.at(name).world[c][3], 3e-4) << name;
    // Without leave to drop and fill it stops, and writes nothing.
    write_text(folder_ / "list.target.toml", "joints = \"list.txt\"\n");
    fs::remove_all(folder_ / "crates");
    EXPECT_THAT(pack("[target]\nfile = \"list.target.toml\"\n"),
                FailsWith(Code::kSkeletonDiffers, "29 joints against 5 in list.txt"));
}

}  // namespace
}  // namespace mellow::joint_list_test
