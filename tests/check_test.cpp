// Checking against a target: a table of faults, planted in files of a crate, each found by its
// demand; foreign folders; figures; reports.
#include <fmt/format.h>

#include <cmath>
#include <functional>
#include <nlohmann/json.hpp>
#include <pugixml.hpp>

#include "base/at.h"
#include "crate/clip_record.h"
#include "mellow/check.h"
#include "mellow/write.h"
#include "packing.h"

namespace mellow::check_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;
namespace fs = std::filesystem;

const char* const kTarget = R"(
up = "+Z"
front = "+X"
hand = "left"
unit = "cm"
rate = 30
rates = ["30", "60"]
joints = "tamsin.joints.txt"
root = "root"
influences = 4
most_joints = 40
most_vertices = 5000
most_samples = 125
height = [1.5, 2.0]
textures = "none"
clip_name = "anim/{clip}_{id:03}"
name_case = "lower"
name_allowed = "_"
ids = [100, 199]
[[morphs]]
match = "smile"
do = "drop"
)";

/// Tamsin's joints, thighs before the arms.
std::string joint_list() {
    return "root\n hips\n  thigh.L\n   shin.L\n    foot.L\n     toe.L\n  thigh.R\n   shin.R\n    "
           "foot.R\n"
           "     toe.R\n  spine\n   chest\n    neck\n     head\n    clavicle.L\n     upperarm.L\n"
           "      forearm.L\n       hand.L\n        thumb.L\n        index.L\n        fingers.L\n"
           "    clavicle.R\n     upperarm.R\n      forearm.R\n       hand.R\n        thumb.R\n"
           "        index.R\n        fingers.R\n pole\n";
}

std::set<std::string> unmet(const CheckReport& report) {
    std::set<std::string> ids;
    for (const Demand& d : report.demands)
        if (!d.met) ids.insert(d.id);
    return ids;
}

/// A manifest of kTarget with the records of what it says now: as if packing had said it.
std::string recorded(const std::string& manifest) {
    const Convention target{0.01, Axis::kPlusZ, Axis::kPlusX, Hand::kRight};
    json out = json::parse(manifest);
    for (json& clip : out["clips"]) {
        const std::string text = clip.dump();
        JsonMembers members(Bytes(text.begin(), text.end()));
        clip["record"] =
            record_hash(read_clip(members, Conversion(target, {}), "@"), Conversion({}, target));
    }
    return out.dump();
}

class CheckTest : public testing::Test {
  protected:
    void SetUp() override {
        test::write_files(folder_.path(), test::tamsin());
        write_text(folder_ / "tamsin.joints.txt", joint_list());
        write_text(folder_ / "orchard.target.toml", kTarget);
        std::string recipe = read_text(folder_ / "tamsin.recipe.toml");
        const auto from = recipe.find("[target]"), to = recipe.find("[travel]");
        recipe = recipe.substr(0, from) + "[target]\nfile = \"orchard.target.toml\"\n" +
                 recipe.substr(to);
        write_text(folder_ / "tamsin.recipe.toml", recipe);
        const auto report = test::pack_text(folder_, recipe);
        ASSERT_THAT(report, IsOk());
        for (const Finding& f : report.value().findings)
            if (f.severity == Severity::kStop) {
                ADD_FAILURE() << to_text(f);
            }
        ASSERT_TRUE(report.value().proven);
        EXPECT_GT(report.value().demands, 60U);
    }
    fs::path crate() const { return folder_ / "crates/tamsin"; }
    Scene scene(const std::string& file) const { return read_scene(crate() / file).value().scene; }
    void write(const std::string& file, const Scene& scene) const {
        const auto bytes = write_glb(scene);
        write_text(crate() / file, {bytes.begin(), bytes.end()});
    }
    std::set<std::string> check() const {
        const auto report = check_crate(crate());
        EXPECT_THAT(report, IsOk());
        return report ? unmet(report.value()) : std::set<std::string>{};
    }

    TempFolder folder_;
};

const std::string kSkin = "tamsin.glb", kWalk = "anim/walk_101.glb", kPick = "anim/pick_102.glb";

/// A fault in one scene file, and the demand that must find it.
struct Fault {
    const char* demand;
    const std::string* file;
    const char* what;
    std::function<void(Scene&)> plant;
};

Curve& curve_of(Scene& s, const std::string& node, Path path) {
    for (Channel& c : s.timelines[0].channels)
        if (s.nodes[at(c.node)].name == node && c.path == path) return c.curve;
    throw std::runtime_error("no curve of " + node);
}

void each_curve(Scene& s, const std::function<void(Curve&)>& change) {
    for (Channel& c : s.timelines[0].channels) change(c.curve);
    for (MorphCurve& c : s.timelines[0].morphs) change(c.curve);
    for (ScalarCurve& c : s.timelines[0].scalars) change(c.curve);
}

Node& named(Scene& s, const std::string& name) { return s.nodes[at(find_node(s, name))]; }

/// Takes a joint without children out of all lists.
void drop_joint(Scene& s, const std::string& name) {
    const int node = find_node(s, name);
    for (Skin& skin : s.skins) {
        const auto place =
            std::find(skin.joints.begin(), skin.joints.end(), node) - skin.joints.begin();
        skin.joints.erase(skin.joints.begin() + place);
        skin.inverse_binds.erase(skin.inverse_binds.begin() + place);
        for (Mesh& mesh : s.meshes)
            for (Primitive& p : mesh.primitives)
                for (std::uint16_t& j : p.influence_joints)
                    if (j >= place && j > 0) --j;
    }
    for (Timeline& t : s.timelines)
        std::erase_if(t.channels, [&](const Channel& c) { return c.node == node; });
    named(s, name).name = "left_over";
}

std::vector<Fault> faults() {
    return {
        {"unit", &kSkin, "metres", [](Scene& s) { s.convention.metres_per_unit = 1; }},
        {"up", &kSkin, "another up", [](Scene& s) { s.convention.up = Axis::kPlusY; }},
        {"front", &kSkin, "another front", [](Scene& s) { s.convention.front = Axis::kMinusX; }},
        {"hand", &kSkin, "right-handed", [](Scene& s) { s.convention.hand = Hand::kRight; }},
        {"hand", &kWalk, "a right-handed clip", [](Scene& s) { s.convention.hand = Hand::kRight; }},
        {"unit", &kWalk, "a clip in metres", [](Scene& s) { s.convention.metres_per_unit = 1; }},
        {"stands", &kSkin, "converted and not marked so",
         [](Scene& s) {
             const Convention said = s.convention;
             convert(s, {0.01, Axis::kPlusY, Axis::kPlusX, Hand::kLeft});
             s.convention = said;
         }},
        {"stands", &kSkin, "mirrored and not marked so",
         [](Scene& s) {
             const Convention said = s.convention;
             Convention mirrored = said;
             mirrored.hand = Hand::kRight;
             convert(s, mirrored);
             s.convention = said;
         }},
        {"no-lights", &kSkin, "a lamp in the hand",
         [](Scene& s) {
             s.extensions_used.push_back("KHR_lights_punctual");
             s.extensions.emplace_back("KHR_lights_punctual", R"({"lights":[{"type":"point"}]})");
             named(s, "hand.L").extensions = R"({"KHR_lights_punctual":{"light":0}})";
         }},
        {"no-cameras", &kWalk, "a camera on the head",
         [](Scene& s) {
             s.cameras = {R"({"type":"perspective","perspective":{"yfov":0.8,"znear":0.1}})"};
             named(s, "head").camera = 0;
         }},
        {"size", &kSkin, "a hundredth",
         [](Scene& s) {
             const Convention said = s.convention;
             Convention big = said;
             big.metres_per_unit = 1;
             convert(s, big);
             s.convention = said;
         }},
        {"height", &kSkin, "a tenth too tall",
         [](Scene& s) {
             const Convention said = s.convention;
             Convention small = said;
             small.metres_per_unit = 0.008;
             convert(s, small);
             s.convention = said;
         }},
        {"skeleton-size", &kSkin, "a mesh of another unit",
         [](Scene& s) {
             for (Mesh& m : s.meshes)
                 for (Primitive& p : m.primitives)
                     for (Float3& v : p.positions)
                         for (float& c : v) c *= 100;
             for (Skin& skin : s.skins)
                 for (Affine& b : skin.inverse_binds) b.x = b.x * 1.0;
         }},
        {"winding", &kSkin, "mirrored vertices",
         [](Scene& s) {
             for (Mesh& m : s.meshes)
                 for (Primitive& p : m.primitives)
                     for (std::size_t v = 0; v < p.positions.size(); ++v)
                         p.positions[v][1] *= -1, p.normals[v][1] *= -1;
         }},
        {"joint-missing", &kSkin, "a joint less", [](Scene& s) { drop_joint(s, "thumb.L"); }},
        {"joint-surplus", &kSkin, "a joint more",
         [](Scene& s) {
             Node extra;
             extra.name = "socket", extra.parent = find_node(s, "hand.R");
             s.nodes.push_back(extra);
             for (Skin& skin : s.skins) {
                 skin.joints.push_back(static_cast<int>(s.nodes.size()) - 1);
                 skin.inverse_binds.emplace_back();
             }
         }},
        {"joint-order", &kSkin, "two joints exchanged",
         [](Scene& s) { std::swap(named(s, "thumb.L").name, named(s, "index.L").name); }},
        {"joint-order", &kSkin, "a joint on another",
         [](Scene& s) { named(s, "toe.R").parent = find_node(s, "shin.R"); }},
        {"joint-names", &kSkin, "two joints of one name",
         [](Scene& s) { named(s, "toe.R").name = "toe.L"; }},
        {"one-root", &kSkin, "a second root",
         [](Scene& s) {
             s.roots.push_back(find_node(s, "pole"));
             named(s, "pole").parent = kNone;
         }},
        {"root-name", &kSkin, "another root name",
         [](Scene& s) { named(s, "root").name = "Root"; }},
        {"root-at-rest", &kSkin, "scale left on the root",
         [](Scene& s) {
             named(s, "root").local.s = {100, 100, 100};
         }},
        {"root-at-rest", &kSkin, "a turn left on the root",
         [](Scene& s) {
             named(s, "root").local.r = from_axis_angle({1, 0, 0}, -M_PI / 2);
         }},
        {"weights", &kSkin, "weights that sum to more",
         [](Scene& s) { s.meshes[0].primitives[0].influence_weights[0] += 0.5F; }},
        {"influences", &kSkin, "five influences",
         [](Scene& s) {
             Primitive& p = s.meshes[0].primitives[0];
             const std::size_t n = p.positions.size();
             p.influences_per_vertex = 8;
             p.influence_joints.assign(8 * n, 0), p.influence_weights.assign(8 * n, 0);
             for (std::size_t v = 0; v < n; ++v)
                 for (std::size_t i = 0; i < 5; ++i) {
                     p.influence_joints[8 * v + i] = static_cast<std::uint16_t>(i + 1);
                     p.influence_weights[8 * v + i] = 0.2F;
                 }
         }},
        {"vertices", &kSkin, "too many vertices",
         [](Scene& s) {
             Primitive& p = s.meshes[0].primitives[0];
             p.targets.clear(), p.indices.clear(), p.others.clear(), p.tangents.clear();
             s.meshes[0].target_names.clear(), s.meshes[0].morph_weights.clear();
             s.meshes[0].extras.clear();
             for (Node& node : s.nodes) node.morph_weights.clear();
             p.positions.resize(6000), p.normals.resize(6000, {0, 0, 1});
             p.influence_joints.resize(24000, 0), p.influence_weights.resize(24000, 0.25F);
         }},
        {"morph-targets", &kSkin, "the smile is back",
         [](Scene& s) { s.meshes[0].target_names[0] = "smile"; }},
        {"no-motion", &kSkin, "an animation in the skin",
         [](Scene& s) {
             s.timelines.emplace_back().name = "stray";
             s.timelines[0].channels.push_back(
                 {0, Path::kTranslation, {Interpolation::kLinear, 3, {0, 1}, {0, 0, 0, 1, 0, 0}}});
         }},
        {"no-mesh", &kWalk, "a mesh in a motion file",
         [](Scene& s) {
             Primitive p;
             p.positions = {{0, 0, 0}, {1, 0, 0}, {0, 1, 0}};
             s.meshes.push_back({"stray", {p}, {}, {}, {}, {}});
             Node node;
             node.name = "stray", node.mesh = 0;
             s.roots.push_back(static_cast<int>(s.nodes.size()));
             s.nodes.push_back(node);
         }},
        {"one-clip", &kWalk, "two animations",
         [](Scene& s) {
             s.timelines.push_back(s.timelines[0]);
             s.timelines[1].name = "again";
         }},
        {"clip-missing", &kWalk, "a joint less in a clip",
         [](Scene& s) { drop_joint(s, "toe.L"); }},
        {"clip-surplus", &kWalk, "a joint more in a clip",
         [](Scene& s) {
             Node extra;
             extra.name = "socket", extra.parent = 0;
             s.nodes.push_back(extra);
         }},
        {"clip-parents", &kWalk, "a joint that hangs elsewhere",
         [](Scene& s) { named(s, "toe.L").parent = find_node(s, "shin.L"); }},
        {"clip-order", &kWalk, "two joints exchanged in a clip",
         [](Scene& s) {
             for (Channel& c : s.timelines[0].channels) (void)c;
             std::swap(named(s, "thumb.L").name, named(s, "index.L").name);
         }},
        {"tracks", &kWalk, "a joint without a track",
         [](Scene& s) {
             const int toe = find_node(s, "toe.L");
             std::erase_if(s.timelines[0].channels, [&](const Channel& c) {
                 return c.node == toe && c.path == Path::kRotation;
             });
         }},
        {"moves", &kWalk, "a clip that stands still",
         [](Scene& s) {
             each_curve(s, [](Curve& c) {
                 auto& v = c.values.edit();
                 for (std::size_t i = at(c.width); i < v.size(); ++i) v[i] = v[i % at(c.width)];
             });
         }},
        {"first-key", &kWalk, "a frame too late",
         [](Scene& s) {
             each_curve(s, [](Curve& c) {
                 std::vector<double> times = c.times.list();
                 for (double& t : times) t += 1 / 30.0;
                 c.times = KeyTimes(times);
             });
         }},
        {"rate", &kWalk, "24 frames a second",
         [](Scene& s) {
             each_curve(s, [](Curve& c) {
                 std::vector<double> times = c.times.list();
                 for (double& t : times) t *= 30.0 / 24;
                 c.times = KeyTimes(times);
             });
         }},
        {"rate", &kWalk, "every other key of one joint",
         [](Scene& s) {
             Curve& c = curve_of(s, "head", Path::kTranslation);
             std::vector<double> times, values;
             for (std::size_t k = 0; k < c.times.size(); k += 2) {
                 times.push_back(c.times[k]);
                 for (std::size_t i = 0; i < 3; ++i) values.push_back(c.values[3 * k + i]);
             }
             c.times = KeyTimes(times), c.values = values;
         }},
        {"hemisphere", &kWalk, "a quaternion that changes sides",
         [](Scene& s) {
             auto& v = curve_of(s, "head", Path::kRotation).values.edit();
             for (std::size_t i = 20; i < 24; ++i) v[i] = -v[i];
         }},
        {"closing-sample", &kWalk, "a loop that does not close",
         [](Scene& s) {
             auto& v = curve_of(s, "shin.L", Path::kRotation).values.edit();
             const Quat bent =
                 Quat{v[v.size() - 4], v[v.size() - 3], v[v.size() - 2], v[v.size() - 1]} *
                 from_axis_angle({1, 0, 0}, 0.2);
             v[v.size() - 4] = bent.x, v[v.size() - 3] = bent.y, v[v.size() - 2] = bent.z,
                          v[v.size() - 1] = bent.w;
         }},
        {"loop-told", &kWalk, "extras that say something else",
         [](Scene& s) {
             s.timelines[0].extras = change(s.timelines[0].extras, "\"closed\"", "\"once\"");
         }},
        {"samples", &kPick, "too long",
         [](Scene& s) {
             each_curve(s, [](Curve& c) {
                 std::vector<double> times, values;
                 for (int k = 0; k < 130; ++k) {
                     times.push_back(k / 30.0);
                     for (std::size_t i = 0; i < at(c.width); ++i) values.push_back(c.values[i]);
                 }
                 values[0] += 1e-3;
                 c.times = KeyTimes(times), c.values = values;
             });
         }},
    };
}

TEST_F(CheckTest, EachFaultIsFoundByItsDemand) {
    EXPECT_THAT(check(), IsEmpty());
    for (const Fault& fault : faults()) {
        const std::string before = read_text(crate() / *fault.file);
        Scene changed = scene(*fault.file);
        fault.plant(changed);
        write(*fault.file, changed);
        const auto found = check();
        EXPECT_THAT(found, Contains(fault.demand)) << fault.what;
        EXPECT_THAT(found, Contains("bytes")) << fault.what;
        write_text(crate() / *fault.file, before);
    }
    EXPECT_THAT(check(), IsEmpty()) << "all is as it was";
}

TEST_F(CheckTest, FaultsOfNamesNumbersAndFolders) {
    const std::string manifest = read_text(crate() / "crate.json");
    const auto with = [&](const std::string& from, const std::string& to) {
        write_text(crate() / "crate.json", recorded(change(manifest, from, to)));
        const auto found = check();
        write_text(crate() / "crate.json", manifest);
        return found;
    };
    EXPECT_THAT(with("\"id\": 101", "\"id\": 100"), Contains("numbers")) << "one number twice";
    EXPECT_THAT(with("\"id\": 101", "\"id\": 300"), Contains("numbers"));
    EXPECT_THAT(with("\"loop\": \"closed\"", "\"loop\": \"open\""), Contains("loop-form"));
    // The walk goes a metre along +X, which is ahead here.
    const json facts = json::parse(manifest)["clips"][1]["travel"]["step"];
    const std::string ahead = fmt::format("{}", facts[0].get<double>());
    EXPECT_NEAR(facts[0].get<double>(), 100, 5);
    EXPECT_THAT(with(ahead, "-" + ahead), Contains("travels-ahead"));
    const auto renamed = [&](const std::string& to) {
        fs::rename(crate() / kWalk, crate() / to);
        const auto found = with(kWalk, to);
        fs::rename(crate() / to, crate() / kWalk);
        return found;
    };
    EXPECT_THAT(renamed("anim/walk.glb"), Contains("file-name"));
    EXPECT_THAT(renamed("anim/walk_99.glb"), Contains("file-name")) << "too few digits";
    EXPECT_THAT(renamed("anim/walk_301.glb"), Contains("number"));
    EXPECT_THAT(renamed("anim/Walk_101.glb"), Contains("characters"));
    EXPECT_THAT(renamed("anim/wa-lk_101.glb"), Contains("characters"));
    EXPECT_THAT(renamed("anim/walk_101.gltf"), testing::Not(Contains("reads")));
    write_text(crate() / "anim/notes.txt", "somebody's");
    EXPECT_THAT(check(), ElementsAre("only-named"));
    fs::remove(crate() / "anim/notes.txt");
    fs::rename(crate() / kWalk, folder_ / "aside");
    EXPECT_THAT(check(), testing::AllOf(Contains("reads"), Contains("bytes")));
    write_text(crate() / kWalk, "glTF, they say");
    EXPECT_THAT(check(), Contains("reads"));
    fs::remove(crate() / kWalk);
    fs::rename(folder_ / "aside", crate() / kWalk);
    write_text(crate() / "crate.json", "{}");
    EXPECT_THAT(check_crate(crate()), FailsWith(Code::kValueBad, "no manifest"));
}

TEST_F(CheckTest, FilesOfOtherProgramsAreCheckedWithoutAManifest) {
    fs::create_directories(folder_ / "delivery/anim");
    for (const std::string& file : {kSkin, kWalk, kPick})
        fs::copy(crate() / file, folder_ / "delivery" / file);
    fs::copy(folder_ / "tamsin.glb", folder_ / "delivery/anim/raw_103.glb");
    const std::string target = " --target " + (folder_ / "orchard.target.toml").string();
    const auto run = run_tool("check " + (folder_ / "delivery").string() + target + " --json");
    EXPECT_EQ(run.exit, 1);
    const json report = json::parse(run.out)["reports"][0];
    std::map<std::string, std::set<std::string>> found;
    for (const json& d : report["demands"])
        if (!d["met"]) {
            found[d["file"]].insert(d["id"]);
            EXPECT_NE(d["remedy"], "") << d;
        }
    EXPECT_THAT(found[kSkin], IsEmpty());
    EXPECT_THAT(found[kWalk], IsEmpty());
    EXPECT_THAT(found["anim/raw_103.glb"],
                testing::IsSupersetOf({"unit", "up", "hand", "no-mesh", "joint-surplus",
                                       "clip-missing", "textures", "no-motion"}));
    EXPECT_THAT(found[""], Contains("layout"));
    fs::remove(folder_ / "delivery/anim/raw_103.glb");
    EXPECT_EQ(run_tool("check " + (folder_ / "delivery").string() + target).exit, 0);
    // A single clip, without its skin.
    EXPECT_EQ(run_tool("check " + (crate() / kWalk).string() + target).exit, 0);
    EXPECT_EQ(run_tool("check " + (crate() / kWalk).string() + " --target y-up-metre").exit, 1);
    const auto bare = run_tool("check " + (folder_ / "delivery").string());
    EXPECT_EQ(bare.exit, 2);
    EXPECT_THAT(bare.err, HasSubstr("--target"));
    EXPECT_EQ(run_tool("check " + (folder_ / "nowhere").string() + " --target y-up-metre").exit, 3);
    EXPECT_EQ(run_tool("check " + crate().string() + " --target z-up-yard").exit, 2);
}

TEST_F(CheckTest, ARemedyThatIsPastedWorks) {
    // A clip of another rate and hand, as somebody delivers it.
    const std::string target = (folder_ / "orchard.target.toml").string(),
                      late = (folder_ / "walk_101.glb").string();
    ASSERT_EQ(run_tool("convert --quiet " + (crate() / kWalk).string() + " " + late +
                       " --to-rate 24 --target z-up-metre")
                  .exit,
              0);
    for (int times = 0; times < 8; ++times) {
        const auto run = run_tool("check --json " + late + " --target " + target);
        if (run.exit == 0) break;
        std::string remedy;
        const json report = json::parse(run.out);
        for (const json& d : report["reports"][0]["demands"])
            if (!d["met"] && remedy.empty()) remedy = d["remedy"];
        const std::string command = "mellow convert ";
        ASSERT_THAT(remedy, HasSubstr(command)) << run.out;
        remedy.erase(0, remedy.find(command) + command.size());
        const std::string fixed = (folder_ / "fixed.glb").string();
        ASSERT_EQ(run_tool("convert --quiet " + change(remedy, " fixed.glb", " " + fixed)).exit, 0)
            << remedy;
        fs::rename(fixed, late);
    }
    EXPECT_EQ(run_tool("check --quiet " + late + " --target " + target).exit, 0);
}

TEST_F(CheckTest, ReportsForPeopleMachinesAndBuildServers) {
    const std::string recipe = (folder_ / "tamsin.recipe.toml").string();
    const auto good = run_tool("check " + recipe);
    EXPECT_EQ(good.exit, 0) << good.err;
    EXPECT_THAT(good.out, HasSubstr("PASSED: "));
    EXPECT_THAT(run_tool("check --all " + recipe).out, HasSubstr("met    joint-order"));
    Scene s = scene(kWalk);
    s.convention.hand = Hand::kRight;
    write(kWalk, s);
    const std::string junit = (folder_ / "check.xml").string();
    const auto bad = run_tool("check " + crate().string() + " --junit " + junit);
    EXPECT_EQ(bad.exit, 1);
    EXPECT_THAT(
        bad.out,
        HasSubstr(
            "UNMET  hand            anim/walk_101.glb\n         wanted: left\n"
            "         found:  right\n         do:     convert it for the target: mellow convert"));
    pugi::xml_document document;
    ASSERT_TRUE(document.load_file(junit.c_str()));
    const pugi::xml_node suite = document.child("testsuites").child("testsuite");
    int tests = 0, failures = 0;
    for (const pugi::xml_node test : suite.children("testcase")) {
        ++tests;
        failures += test.child("failure") ? 1 : 0;
        if (test.attribute("name").value() == std::string("up")) {
            EXPECT_STREQ(test.child("system-out").child_value(), "wanted: +Z\nfound: +Z");
        }
        if (test.attribute("name").value() == std::string("hand") && test.child("failure")) {
            EXPECT_STREQ(test.child("failure").attribute("message").value(), "right");
        }
    }
    EXPECT_EQ(tests, suite.attribute("tests").as_int());
    EXPECT_EQ(failures, suite.attribute("failures").as_int());
    EXPECT_EQ(failures, 2) << "its hand and its bytes";
    EXPECT_EQ(run_tool("check " + crate().string() + " --junit " + junit).exit, 4)
        << "it stands there";
}

TEST_F(CheckTest, ARecipesCratesMayBeAskedForAnotherTarget) {
    const std::string recipe = (folder_ / "tamsin.recipe.toml").string();
    EXPECT_EQ(run_tool("check " + recipe).exit, 0);
    write_text(folder_ / "few.target.toml", change(kTarget, "most_joints = 40", "most_joints = 4"));
    const auto run =
        run_tool("check " + recipe + " --target " + (folder_ / "few.target.toml").string());
    EXPECT_EQ(run.exit, 1);
    EXPECT_THAT(run.out, HasSubstr("UNMET"));
}

TEST_F(CheckTest, FiguresOfTheSameSkeletonPlayTheClips) {
    write_text(folder_ / "same.glb", read_text(crate() / kSkin));
    Scene other = scene(kSkin);
    named(other, "shin.L").local.t.z += 5;
    const auto bytes = write_glb(other);
    write_text(folder_ / "other.glb", {bytes.begin(), bytes.end()});
    const auto matches = match_figures({folder_ / "same.glb", folder_ / "other.glb"}, crate());
    ASSERT_THAT(matches, IsOk());
    ASSERT_EQ(matches.value().size(), 6U);
    for (std::size_t i = 0; i < 6; ++i) {
        EXPECT_EQ(matches.value()[i].fits, i < 3) << i;
        EXPECT_EQ(matches.value()[i].joint, i < 3 ? "" : "shin.L");
    }
    EXPECT_EQ(matches.value()[4].why, "50 mm elsewhere");
    const auto run =
        run_tool("check " + crate().string() + " --figures " + (folder_ / "other.glb").string());
    EXPECT_EQ(run.exit, 1);
    EXPECT_THAT(run.out, HasSubstr("walk: \"shin.L\" 50 mm elsewhere"));
    EXPECT_EQ(run_tool("check " + crate().string() + " --figures " +
                       (folder_ / "other.glb").string() + " " + (folder_ / "same.glb").string())
                  .exit,
              1)
        << "one of two does not fit";
    // Of several differences the worst is named; of joints that hang elsewhere, that.
    named(other, "hand.L").local.t.z += 3;
    named(other, "thigh.R").local.r =
        named(other, "thigh.R").local.r * from_axis_angle({1, 0, 0}, 0.5 / 57.29577951308232);
    const auto why = [&](const Scene& figure) {
        const auto glb = write_glb(figure);
        write_text(folder_ / "other.glb", {glb.begin(), glb.end()});
        const auto found = match_figures({folder_ / "other.glb"}, crate());
        EXPECT_THAT(found, IsOk());
        const FigureMatch& match = found.value().at(0);
        return match.joint + ": " + match.why;
    };
    EXPECT_EQ(why(other), "shin.L: 50 mm elsewhere");
    other = scene(kSkin);
    named(other, "thigh.R").local.r =
        named(other, "thigh.R").local.r * from_axis_angle({1, 0, 0}, 0.5 / 57.29577951308232);
    EXPECT_EQ(why(other), "thigh.R: turned by 0.5 degrees");
    other = scene(kSkin);
    // A shin is about 40 long: 0.2 of it is rounding of proportions, 1 is another figure.
    named(other, "foot.L").local.t.z += 0.15;
    EXPECT_EQ(why(other), ": ");
    named(other, "foot.L").local.t.z += 0.85;
    EXPECT_EQ(why(other), "foot.L: 10 mm elsewhere");
    other = scene(kSkin);
    named(other, "foot.L").parent = find_node(other, "thigh.L");
    EXPECT_EQ(why(other), "foot.L: on \"shin.L\", in the figure on \"thigh.L\"");
    const auto sizes = clip_sizes(crate());
    ASSERT_THAT(sizes, IsOk());
    for (const ClipSizes& s : sizes.value()) {
        EXPECT_GT(s.with_skin, s.motion + 50'000U) << s.clip;
        EXPECT_NEAR(static_cast<double>(s.as_is), static_cast<double>(s.motion), 2000) << s.clip;
        EXPECT_GT(s.with_skin_text, s.motion_text + 50'000U) << s.clip;
    }
}

}  // namespace
}  // namespace mellow::check_test
