// The page in a real browser: what its script reads from the files against a plain reader's places,
// and what it shows and says.
#include <fmt/format.h>

#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>
#include <set>

#include "browser.h"
#include "mellow/page.h"
#include "mellow/play.h"
#include "mellow/read.h"
#include "packing.h"
#include "plain_gltf.h"
#include "rigs.h"
#include "small_figure.h"

namespace mellow::page_test {
namespace {

using nlohmann::json;
using namespace test;
using test::read_text;
using namespace testing;
namespace fs = std::filesystem;

class PageTest : public testing::Test {
  protected:
    void SetUp() override { test::write_files(folder_.path(), test::tamsin()); }
    std::string path(const std::string& name) const { return (folder_ / name).string(); }
    void pack(const std::string& target, const std::string& travel_as = "root") const {
        std::string recipe = read_text(folder_ / "tamsin.recipe.toml");
        const auto from = recipe.find("[target]"), to = recipe.find("[travel]");
        recipe = recipe.substr(0, from) + target + "\n" + recipe.substr(to);
        const std::string key = "\ntravel = [", as = "\ntravel_as = \"" + travel_as + "\"";
        for (auto at = recipe.find(key); at != recipe.npos;
             at = recipe.find(key, at + as.size() + 1))
            recipe.insert(at, as);
        ASSERT_THAT(test::pack_text(folder_, recipe), IsOk());
    }
    /// Places on the page against those of the plain reader, in metres.
    void same_places(const json& page, const std::string& clip, const std::string& file,
                     double metres_per_unit, int first_key = 0) const {
        const json& found = page["figures"][0]["clips"][clip];
        const std::string bytes = read_text(folder_ / file);
        ASSERT_THAT(found["samples"], SizeIs(10)) << clip;
        std::size_t compared = 0;
        for (std::size_t i = 0; i < 10; ++i)
            for (const auto& [name, node] :
                 plain_gltf_worlds(bytes, clip, found["samples"][i].get<int>() + first_key)) {
                const json& places = found["at"][i];
                if (!places.contains(name)) continue;
                ++compared;
                for (std::size_t c = 0; c < 3; ++c)
                    EXPECT_NEAR(places[name][c].get<double>() * metres_per_unit,
                                node.world[c][3] * metres_per_unit, 1e-6)
                        << clip << name << i;
            }
        EXPECT_GE(compared, 29 * 10U);
    }

    TempFolder folder_;
    Browser& browser_ = Browser::shared();
};

TEST_F(PageTest, JointsOnThePageAreWhereAPlainReaderHasThem) {
    pack("[target]\nconvention = \"y-up-metre\"\n");
    const ToolRun run = run_tool("view " + path("crates/tamsin") + " -o " + path("a.html"));
    ASSERT_EQ(run.exit, 0) << run.err;
    const json said = browser_.open(folder_ / "a.html", "#check", R"(
        const page = JSON.parse(byId('check').textContent), shown = () => { draw(); return App.stage.actors[0].group.visible; };
        const before = shown(); App.figures[0].hidden = true;
        return { page, shown: [before, shown()] };)");
    EXPECT_EQ(said["shown"], json::parse("[true,false]"));
    const json& page = said["page"];
    EXPECT_THAT(page["state"]["errors"], SizeIs(0)) << page["state"];
    EXPECT_TRUE(page["state"]["skins"].get<bool>()) << "drawn by WebGL";
    for (const std::string clip : {"stand", "walk", "pick"})
        same_places(page, clip, "crates/tamsin/clips/" + clip + ".glb", 1);
    EXPECT_LT(fs::file_size(folder_ / "a.html"),
              4'000'000U + 2 * fs::file_size(folder_ / "tamsin.glb"));
    EXPECT_THAT(read_text(folder_ / "a.html"), testing::Not(HasSubstr("src=\"http")));
}

TEST_F(PageTest, OtherAxesLayoutsAndFormats) {
    pack(
        "[target]\nconvention = \"z-up-centimetre-left\"\nlayout = \"one-file\"\nfirst_pose = "
        "\"rest\"\nloop_form = \"open\"\n");
    ASSERT_EQ(run_tool("view " + path("crates/tamsin") + " -o " + path("a.html")).exit, 0);
    // On the page every figure stands up and faces +Z, whatever its axes: the hat is up, toes ahead
    // of the foot, the left foot to the left; a loop goes on by its step, an open one as well.
    const json said = browser_.open(folder_ / "a.html", "#flat-check", R"(
        const at = (name, s, turns) => { const f = App.figures[0], p = poseOf(f, clipOf(f, 'walk'), s, turns);
            return placeOn(p, f.names.indexOf(name)); };
        return { head: at('head', 0, 0), toe: at('toe.L', 0, 0), foot: at('foot.L', 0, 0), right: at('foot.R', 0, 0),
            root: at('root', 0, 0), next: at('root', 0, 1), end: at('root', 1, 0), seam: at('hips', 1, 0), again: at('hips', 0, 1),
            page: JSON.parse(byId('check').textContent), beyond: (() => { const c = clipOf(App.figures[0], 'walk');
                App.seconds = c.seconds; return sampleAt(c) - (c.samples - 1); })(), height: App.height };)");
    const json& page = said["page"];
    EXPECT_THAT(page["state"]["errors"], SizeIs(0)) << page["state"];
    for (const char* clip : {"walk", "pick"})
        same_places(page, clip, "crates/tamsin/tamsin.glb", 0.01, 1);
    const auto number = [&](const char* what, int c) { return said[what][c].get<double>(); };
    EXPECT_NEAR(said["height"].get<double>(), 1.8, 0.3) << "metres";
    EXPECT_EQ(said["beyond"], 0) << "the end of an open loop is told as its last sample";
    EXPECT_GT(number("head", 1), 1.3);
    EXPECT_GT(number("toe", 2), number("foot", 2));
    EXPECT_GT(number("foot", 0), number("right", 0));
    EXPECT_NEAR(number("next", 2) - number("root", 2), 1, 0.01) << "a metre of travel a turn";
    for (int c = 0; c < 3; ++c) EXPECT_NEAR(number("seam", c), number("again", c), 2e-3);
    // Formats that the page does not read itself are written as GLB.
    fs::remove_all(folder_ / "crates");
    pack("[target]\nname = \"text\"\nformat = \"dae\"\n[[target.morphs]]\ndo = \"drop\"\n");
    ASSERT_EQ(run_tool("view --replace " + path("crates/tamsin") + " -o " + path("a.html")).exit,
              0);
    const json text = browser_.open(folder_ / "a.html", "#flat-check", "");
    EXPECT_THAT(text["state"]["errors"], SizeIs(0)) << text["state"];
    EXPECT_EQ(text["figures"][0]["clips"]["walk"]["at"][9].size(), 29U);
}

TEST_F(PageTest, NumbersOfFilesAreThoseOfTheSpecification) {
    std::vector<unsigned char> bin;
    std::string views, accessors;
    int count = 0;
    const auto add = [&](const auto& numbers, const std::string& about,
                         const std::string& view = "") {
        const std::size_t at = bin.size(), size = numbers.size() * sizeof(numbers[0]);
        bin.resize((at + size + 3) / 4 * 4);
        std::memcpy(&bin[at], numbers.data(), size);
        views += fmt::format(R"({}{{"buffer":0,"byteOffset":{},"byteLength":{}{}}})",
                             count == 0 ? "" : ",", at, size, view);
        accessors +=
            fmt::format(R"({}{{"bufferView":{},{}}})", count == 0 ? "" : ",", count, about);
        ++count;
    };
    using Floats = std::vector<float>;
    const auto floats = [](int n, const char* type) {
        return fmt::format(R"("componentType":5126,"count":{},"type":"{}")", n, type);
    };
    const float half = std::sqrt(0.5F);
    add(Floats{0, 2}, floats(2, "SCALAR"));                          // times
    add(Floats{0, 0, 0, 1, 0, 0, -half, -half}, floats(2, "VEC4"));  // of two signs
    add(Floats{3, 5}, floats(2, "SCALAR"));                          // a step
    add(Floats{0, 0, 1, 0, 0, 0}, floats(6, "SCALAR"));              // slope 1, then 0
    add(std::vector<std::int16_t>{16384, -32768},
        R"("componentType":5122,"normalized":true,"count":2,"type":"SCALAR")");
    add(Floats{1, 2, 3, 0, 4, 5, 6, 0}, floats(2, "VEC3"), R"(,"byteStride":16)");
    add(std::vector<std::uint16_t>{9, 1, 3}, R"("componentType":5123,"count":3,"type":"SCALAR")");
    add(Floats{7, 8}, floats(2, "SCALAR"));
    add(Floats{1, 2, 3, 4},
        floats(4, "SCALAR") + R"(,"sparse":{"count":2,"indices":{"bufferView":6,"byteOffset":2,)" +
            R"("componentType":5123},"values":{"bufferView":7}})");
    std::string text = fmt::format(
        R"({{"asset":{{"version":"2.0"}},"buffers":[{{"byteLength":{}}}],"bufferViews":[{}],"accessors":[{}]}})",
        bin.size(), views, accessors);
    text.resize((text.size() + 3) / 4 * 4, ' ');
    std::vector<unsigned char> glb;
    const auto word = [&](std::size_t v) {
        for (int shift = 0; shift < 32; shift += 8)
            glb.push_back(static_cast<unsigned char>(v >> shift));
    };
    word(0x46546C67), word(2), word(28 + text.size() + bin.size());
    word(text.size()), word(0x4E4F534A), glb.insert(glb.end(), text.begin(), text.end());
    word(bin.size()), word(0x004E4942), glb.insert(glb.end(), bin.begin(), bin.end());

    test::write_bytes(folder_ / "figure.glb", test::figure({}));
    ASSERT_EQ(run_tool("view " + path("figure.glb") + " -o " + path("a.html")).exit, 0);
    const json said =
        browser_.open(folder_ / "a.html", "#flat",
                      "const f = new Glb.File(Glb.bytesOf('" + test::base64(glb) + R"('));
        const of = (output, interpolation, t, turns) => Glb.sample(f, { input: 0, output, interpolation }, t, turns);
        const bare = { file: {} }, list = (mode) => App.stage.triangles(bare, { mode }, 5);
        const own = Figure.prototype.weights.call({ file: { json: { nodes: [{ mesh: 0, weights: [3] }], meshes: [{ weights: [5] }] } }, names: ['n'] }, 0, null, 0);
        const turns = [[0.9, 0.3, 0.2, 0.1], [0.2, 0.9, 0.3, -0.1], [0.1, 0.3, 0.9, 0.2], [0.1, 0.2, 0.3, 0.9]].map((q) => {
            const n = Math.hypot(...q), r = App.figures[0].quaternion(Glb.compose([0, 0, 0], q.map((x) => x / n), [1, 1, 1]));
            return Math.abs(q.reduce((sum, x, i) => sum + (x / n) * r[i], 0)); });
        return { own, turns, turn: of(1, 'LINEAR', 1, true), before: of(2, 'STEP', 1.9), after: of(2, 'STEP', 2),
            cubic: of(3, 'CUBICSPLINE', 1), whole: [...f.accessor(4).values], strided: [...f.accessor(5).values], sparse: [...f.accessor(8).values],
            strip: list(5), fan: list(6), euler: ['XYZ', 'ZYX', 'YXZ'].map((o) => Curves.euler([0.5, 0, 0, Math.sqrt(0.75)], o)) };)");
    // Half of a quarter turn; 1/2 (1 - u)^2 u span is 1/4 in the middle; fractions of 32767.
    EXPECT_NEAR(said["turn"][2].get<double>() * said["turn"][3].get<double>(), std::sqrt(0.125),
                1e-6);
    EXPECT_EQ(said["own"], json::parse("[3]")) << "of the node, before those of its mesh";
    for (const json& same : said["turns"]) EXPECT_NEAR(same.get<double>(), 1, 1e-9);
    EXPECT_EQ(said["before"][0], 3);
    EXPECT_EQ(said["after"][0], 5);
    EXPECT_NEAR(said["cubic"][0].get<double>(), 0.25, 1e-6);
    EXPECT_NEAR(said["whole"][0].get<double>(), 16384 / 32767.0, 1e-6);
    EXPECT_EQ(said["whole"][1], -1);
    EXPECT_EQ(said["strided"], json::parse("[1,2,3,4,5,6]"));
    EXPECT_EQ(said["sparse"], json::parse("[1,7,3,8]"));
    EXPECT_EQ(said["strip"], json::parse("[0,1,2,2,1,3,2,3,4]"));
    EXPECT_EQ(said["fan"], json::parse("[0,1,2,0,2,3,0,3,4]"));
    for (const json& angles : said["euler"]) {
        EXPECT_NEAR(angles[0].get<double>(), 60, 1e-6) << "about X, whatever the order";
        EXPECT_NEAR(angles[1].get<double>(), 0, 1e-6);
    }
}

TEST_F(PageTest, TravelInChannelsIsPutBack) {
    // Half a metre to the left and one ahead in two seconds, and a quarter turn to the left; the
    // head comes to lie 0.2 before the hips.
    write_text(folder_ / "s.toml", "start = \"c\"\n[[state]]\nname = \"c\"\n");
    std::vector<test::Keyed> keys{test::keyed(0, "translation", 48,
                                              [](int f) {
                                                  return test::Three{f / 96.0, 1, f / 48.0};
                                              }),
                                  test::keyed(1, "translation", 48,
                                              [](int f) {
                                                  return test::Three{0, 0.5, 0.2 * f / 48};
                                              }),
                                  test::keyed(0, "rotation", 48, [](int f) {
                                      const double half = std::acos(-1) / 4 * f / 48;
                                      return test::Three{0, std::sin(half), 0, std::cos(half)};
                                  })};
    test::write_bytes(folder_ / "figure.glb", test::figure(keys));
    const auto file = [&](const std::string& convention) {
        return change(test::recipe("range = [0, 48]\ntravel = [\"ground\", \"heading\"]\ntravel_as "
                                   "= \"channels\"\n",
                                   "convention = \"" + convention + "\"\n"),
                      "[output]", "[travel]\nhips = \"hips\"\n[output]");
    };
    const auto packed = test::pack_text(folder_, file("z-up-centimetre-left"), true);
    ASSERT_THAT(packed, IsOk());
    ASSERT_TRUE(packed.value().proven) << grouped_text(packed.value().findings);
    const ToolRun shown = run_tool("view " + path("out") + " -o " + path("a.html"));
    ASSERT_EQ(shown.exit, 0) << shown.err;
    const json said = browser_.open(folder_ / "a.html", "#flat", R"(
        const at = (name) => { const f = App.figures[0]; return placeOn(poseOf(f, clipOf(f, 'c'), 2), f.names.indexOf(name)); };
        return { hips: at('hips'), head: at('head') };)");
    const double hips[] = {0.5, 1, 1}, head[] = {0.7, 1.5, 1};
    for (std::size_t c = 0; c < 3; ++c) {
        EXPECT_NEAR(said["hips"][c].get<double>(), hips[c], 1e-4) << c;
        EXPECT_NEAR(said["head"][c].get<double>(), head[c], 1e-4) << c;
    }
    // Between its last sample and the first one of the next turn an open loop goes on as it went:
    // after 47.5 of 48 frames, the head 0.2 ahead of hips that are headed 47.5 / 48 of a quarter.
    keys[1] = test::keyed(1, "translation", 48, [](int) { return test::Three{0, 0.5, 0.2}; });
    test::write_bytes(folder_ / "figure.glb", test::figure(keys));
    const std::string bend =
        test::recipe("range = [0, 48]\nloop = true\ntravel = [\"ground\", \"heading\"]\n",
                     "loop_form = \"open\"\n");
    ASSERT_THAT(test::pack_text(folder_, bend, true), IsOk());
    ASSERT_EQ(run_tool("view --replace " + path("out") + " -o " + path("a.html")).exit, 0);
    const json on = browser_.open(folder_ / "a.html", "#flat", R"(
        const f = App.figures[0], p = poseOf(f, clipOf(f, 'c'), 47.5 / 24);
        return { hips: placeOn(p, f.names.indexOf('hips')), head: placeOn(p, f.names.indexOf('head')) };)");
    const double a = std::acos(-1) / 2 * 47.5 / 48;
    const double x = 47.5 / 96, z = 47.5 / 48;
    for (const auto& [joint, wanted] :
         {std::pair("hips", std::array{x, 1.0, z}),
          std::pair("head", std::array{x + 0.2 * std::sin(a), 1.5, z + 0.2 * std::cos(a)})})
        for (std::size_t c = 0; c < 3; ++c)
            EXPECT_NEAR(on[joint][c].get<double>(), wanted[c], 1e-4) << joint << c;
    // A turn to the left counts the other way in axes of the other hand.
    const auto heading = [&](const std::string& convention) {
        EXPECT_THAT(test::pack_text(folder_, file(convention), true), IsOk());
        const auto run = run_tool("play --json --seconds 2 --rate 24 " + path("out") +
                                  " --states " + path("s.toml"));
        EXPECT_EQ(run.exit, 0) << run.err;
        const json steps = json::parse(run.out)["steps"];
        return steps.back()["heading_degrees"].get<double>();
    };
    EXPECT_NEAR(heading("y-up-metre"), 90, 0.01);
    EXPECT_NEAR(heading("y-up-metre-left"), -90, 0.01);
}

TEST_F(PageTest, FilesSeveralFiguresKeysAndPagesWithoutWebGl) {
    pack("[target]\nconvention = \"y-up-metre\"\n");
    const ToolRun run = run_tool("view " + path("tamsin.glb") + " " + path("crates/tamsin") +
                                 " -o " + path("a.html") + " --unit cm --up +Z --front -Y");
    ASSERT_EQ(run.exit, 0) << run.err;
    const json said = browser_.open(folder_ / "a.html", "#flat", R"(
        const key = (k) => document.dispatchEvent(new KeyboardEvent('keydown', { key: k }));
        const out = { skins: mellow.state().skins, figures: App.figures.map((f) => [f.name, f.convention.up]), clips: names() };
        mellow.select('walk'); key('ArrowRight'); key('ArrowRight'); out.two = mellow.state().seconds;
        key('ArrowLeft'); out.one = mellow.state().seconds; key('ArrowLeft'); key('ArrowLeft'); out.start = mellow.state().seconds;
        key('End'); out.end = mellow.state().seconds; key('ArrowDown'); out.next = mellow.state().clip;
        byId('search').value = 'al'; list(); out.found = [...byId('clips').children].map((li) => li.dataset.name);
        mellow.select('walk'); App.mode = 'on'; mellow.play(true); advance(2.5); out.turns = mellow.state().rounds; out.left = App.left;
        App.mode = 'once'; advance(5); out.stopped = !mellow.state().playing;
        App.tab = 'curves'; pick('hips', true); panel(); out.lines = Curves.lines().length;
        App.curve = 'quaternion'; out.parts = Curves.lines().length; App.curve = 'place';
        App.tab = 'findings'; panel(); out.finds = document.querySelectorAll('.find').length;
        const q = Glb.compose([0, 0, 0], [0.1, 0.2, 0.3, Math.sqrt(1 - 0.14)], [1, 1, 1]);
        out.euler = ['XYZ', 'ZXY', 'YZX', 'XZY', 'YXZ', 'ZYX'].map((order) => { const e = Curves.euler([0.1, 0.2, 0.3, Math.sqrt(1 - 0.14)], order);
            let m = Glb.identity(); for (const axis of order) { const i = 'XYZ'.indexOf(axis), h = e[i] * Math.PI / 360, v = [0, 0, 0, Math.cos(h)];
                v[i] = Math.sin(h); m = Glb.product(m, Glb.compose([0, 0, 0], v, [1, 1, 1])); }
            return Math.max(...m.map((x, k) => Math.abs(x - q[k]))); });
        mellow.select('walk'); pick('head', true); draw(); out.rounds = mellow.state().rounds;
        Paint.measured({ line() {}, label(p, text) { out.far = text; } }, App.figures[1], App.poses[1]);
        document.querySelectorAll('[data-figure]')[1].click(); draw(); out.hidden = App.figures.map((f) => Boolean(f.hidden));
        out.weights = App.figures[1].weights(App.figures[1].names.indexOf('body'), clipOf(App.figures[1], 'pick'), 2);
        out.aside = App.stage.actors[1].place[0]; Paint.path({ line(p) { out.path = out.path || p[0]; } }, App.figures[1], clipOf(App.figures[1], 'walk'), 1, App.stage.actors[1].place);
        const wide = App.wide; App.figures[1].page = App.figures[1].page.map((x) => x / 10); measure(); out.wide = App.wide / wide;
        out.errors = App.errors; return out;)");
    const auto at =
        plain_gltf_worlds(read_text(folder_ / "crates/tamsin/clips/walk.glb"), "walk", 0);
    double far = 0;
    for (std::size_t c = 0; c < 3; ++c)
        far += std::pow(at.at("head").world[c][3] - at.at("hips").world[c][3], 2);
    EXPECT_EQ(said["far"], fmt::format("{:.4g} m", std::sqrt(far)));
    EXPECT_EQ(said["hidden"], json::parse("[false,true]"));
    const Curve pick = read_scene(folder_ / "crates/tamsin/clips/pick.glb")
                           .value()
                           .scene.timelines[0]
                           .morphs[0]
                           .curve;
    for (std::size_t t = 0; t < 4; ++t)  // sample 60 at 2 s
        EXPECT_NEAR(said["weights"][t].get<double>(), pick.values[60 * 4 + t], 1e-6) << t;
    EXPECT_LT(said["aside"].get<double>(), -0.3) << "beside the other";
    EXPECT_NEAR(said["path"][0].get<double>(),
                at.at("root").world[0][3] + said["aside"].get<double>(), 1e-6);
    EXPECT_NEAR(said["wide"].get<double>(), 1, 1e-3) << "the widest of them";
    EXPECT_THAT(said["errors"], SizeIs(0)) << said;
    EXPECT_FALSE(said["skins"].get<bool>());
    EXPECT_EQ(said["figures"], json::parse(R"([["tamsin, file","+Z"],["tamsin, tamsin","+Y"]])"));
    EXPECT_EQ(said["clips"], json::parse(R"(["orchard:orchard_day","stand","walk","pick"])"));
    EXPECT_NEAR(said["two"].get<double>(), 2 / 30.0, 1e-9);
    EXPECT_NEAR(said["one"].get<double>(), 1 / 30.0, 1e-9);
    EXPECT_EQ(said["start"], 0) << "nothing is before it";
    EXPECT_NEAR(said["end"].get<double>(), 1, 1e-9);
    EXPECT_EQ(said["next"], "pick");
    EXPECT_EQ(said["found"], json::parse(R"(["walk"])"));
    EXPECT_EQ(said["turns"], 2);
    EXPECT_EQ(said["left"], 74) << "75 samples passed, the last of them is shown";
    EXPECT_TRUE(said["stopped"].get<bool>());
    EXPECT_EQ(said["rounds"], 0) << "chosen anew it begins where it began";
    EXPECT_EQ(said["lines"], 3);
    EXPECT_EQ(said["parts"], 4);
    EXPECT_GT(said["finds"].get<int>(), 0);
    for (const json& off : said["euler"]) EXPECT_LT(off.get<double>(), 1e-12);
}

TEST_F(PageTest, TheSourceStandsOverTheResult) {
    const std::string view =
        "view --replace " + path("tamsin.recipe.toml") + " -o " + path("a.html");
    EXPECT_THAT(run_tool(view).err, HasSubstr("mellow pack"));
    EXPECT_FALSE(fs::exists(folder_ / "a.html"));
    pack("[target]\nconvention = \"z-up-centimetre-left\"\n");
    write_text(folder_ / "tamsin.recipe.toml",
               change(read_text(folder_ / "tamsin.recipe.toml"), "convention = \"y-up-metre\"",
                      "convention = \"z-up-centimetre-left\""));
    ASSERT_EQ(run_tool(view).exit, 0);
    const std::string script = R"(
        const out = { errors: App.errors, worst: {}, place: {} };
        for (const name of names()) { mellow.select(name); App.tab = 'source'; panel();
            const f = App.figures[0], c = clipOf(f, name), m = Source.measure(f, c);
            out.worst[name] = Math.max(...m.rows.flat()); out.joints = m.joints.length; out.rows = m.rows.length;
            out.lines = Curves.lines().length; out.place[name] = Source.at(f, c, 20, f.sourceJoints.indexOf('hand.L')); }
        return out;)";
    const json same = browser_.open(folder_ / "a.html", "#flat", script);
    EXPECT_THAT(same["errors"], SizeIs(0)) << same;
    EXPECT_EQ(same["joints"], 28) << "all but the root that was added";
    EXPECT_EQ(same["rows"], 121);
    EXPECT_EQ(same["lines"], 1);
    for (const std::string clip : {"stand", "walk", "pick"}) {
        EXPECT_LT(same["worst"][clip].get<double>(), 0.001) << clip;
        EXPECT_GT(same["worst"][clip].get<double>(), 1e-6) << "two roundings";
        // Left-handed: x ahead, y to the right, z up, centimetres; the source is in metres, left,
        // up, front.
        const auto file = plain_gltf_worlds(
            read_text(folder_ / "crates/tamsin/clips" / (clip + ".glb")), clip, 20);
        const auto& world = file.at("hand.L").world;
        const json& place = same["place"][clip];
        EXPECT_NEAR(place[0].get<double>(), -world[1][3] / 100, 1e-5) << clip;
        EXPECT_NEAR(place[1].get<double>(), world[2][3] / 100, 1e-5) << clip;
        EXPECT_NEAR(place[2].get<double>(), world[0][3] / 100, 1e-5) << clip;
    }
    // A recipe that was changed since shows by how much.
    write_text(folder_ / "tamsin.recipe.toml",
               change(read_text(folder_ / "tamsin.recipe.toml"), "[108, 132]", "[109, 133]"));
    ASSERT_EQ(run_tool(view).exit, 0);
    EXPECT_GT(browser_.open(folder_ / "a.html", "#flat", script)["worst"]["walk"].get<double>(), 5);
}

class PlayedPageTest : public PageTest, public WithParamInterface<const char*> {};
INSTANTIATE_TEST_SUITE_P(, PlayedPageTest, Values("root", "channels"));

TEST_P(PlayedPageTest, TheStatesArePlayedAsTheToolPlaysThem) {
    pack(
        "[target]\nconvention = \"z-up-centimetre-left\"\nloop_form = \"open\"\nfirst_frame = "
        "1\n[[cue]]\nname = \"left\"\nat = 110\n",
        GetParam());
    write_text(folder_ / "s.toml", R"(start = "stand"
signals = ["pick"]
flags = { walking = false }
[[state]]
name = "stand"
[[state]]
name = "walk"
speed = 1.3
[[state]]
name = "pick"
speed = -2
[[way]]
from = "stand"
to = "walk"
when = "walking"
blend = 0.3
[[way]]
from = "walk"
to = "stand"
when = "not walking"
at_end = true
blend = 0.4
blend_shape = "linear"
[[way]]
from = "*"
to = "pick"
on = "pick"
priority = 1
blend = 0.5
again = "restart"
[[way]]
from = "pick"
to = "walk"
at_end = true
blend = 0.2
)");
    write_text(folder_ / "c.csv",
               "seconds,name,value\n0.4,walking,yes\n3.05,pick,\n3.3,pick,\n6,walking,no\n");
    const auto run =
        test::run_tool("play " + path("crates/tamsin") + " --states " + path("s.toml") +
                       " --script " + path("c.csv") + " --json -o " + path("a.html"));
    ASSERT_EQ(run.exit, 0) << run.err;
    const json told = json::parse(run.out)["steps"];
    const json page = browser_.open(folder_ / "a.html", "#flat-play", R"(
        document.dispatchEvent(new KeyboardEvent('keydown', { key: 'w' }));
        const flag = States.machine.flags.walking;
        for (let i = 0; i < 20; ++i) States.advance(1 / 30);
        draw();
        const way = (from) => ({ from, to: 'walk', priority: 0, when: [] });
        const sheet = { ...App.facts.states, flags: { f: 1 }, ways: [way('*'), way('stand')] }, other = new Machine(App.figures[0], sheet);
        other.flags.f = 2; other.again();
        return { ways: other.ways.map((w) => w.from), again: other.flags.f, steps: JSON.parse(byId('played').textContent), errors: App.errors, flag,
                 clip: App.clip, panel: byId('panel').textContent, keys: (() => { App.facts.states.flags = { aa: false, ab: false };
                 States.start(); return [...States.keys.values()]; })() };)");
    EXPECT_THAT(page["errors"], SizeIs(0)) << page["errors"];
    EXPECT_EQ(page["flag"], true);
    EXPECT_EQ(page["ways"], json::parse(R"(["stand","*"])")) << "a state's own ways first";
    EXPECT_EQ(page["again"], 1) << "as the sheet has it";
    EXPECT_EQ(page["keys"], json::parse(R"(["a","b","p"])")) << "a key for each";
    EXPECT_EQ(page["clip"], "walk");
    EXPECT_THAT(page["panel"].get<std::string>(), HasSubstr("stand to walk"));
    const json& steps = page["steps"];
    ASSERT_EQ(steps.size(), told.size());
    const Crate crate = open_crate(folder_ / "crates/tamsin").value();
    const StateSheet sheet = parse_states(read_text(folder_ / "s.toml"), "").value();
    const auto events = parse_events(read_text(folder_ / "c.csv"), "", sheet).value();
    StandIn game = StandIn::make(crate, sheet).value();
    const Conversion out({}, crate.convention);
    std::size_t next = 0;
    std::set<std::string> states;
    for (std::size_t k = 0; k < steps.size(); ++k) {
        for (; next < events.size() && events[next].seconds <= static_cast<double>(k) / 30 + 1e-9;
             ++next)
            events[next].signal ? game.send(events[next].name)
                                : game.set(events[next].name, events[next].value);
        game.advance(1 / 30.0);
        EXPECT_EQ(steps[k]["state"], told[k]["state"]) << k;
        states.insert(steps[k]["state"]);
        EXPECT_NEAR(steps[k]["heading"].get<double>(), told[k]["heading_degrees"].get<double>(),
                    1e-4);
        ASSERT_EQ(steps[k]["cues"].size(), told[k]["cues"].size()) << k;
        for (std::size_t j = 0; j < game.joints().size(); ++j) {
            const json& at = steps[k]["joints"];
            if (!at.contains(game.joints()[j])) continue;
            const Vec3 p = out.point(game.worlds()[j].o);
            const std::array wanted{p.x, p.y, p.z};
            for (std::size_t c = 0; c < 3; ++c)
                ASSERT_NEAR(at[game.joints()[j]][c].get<double>(), wanted[c], 2e-3)
                    << k << game.joints()[j];
        }
    }
    EXPECT_EQ(states.size(), 3U);
}

TEST_F(PageTest, OneWorksItByMouseAndByKeys) {
    pack("[target]\nconvention = \"y-up-metre\"\n[[cue]]\nname = \"left\"\nat = 114\nto = 117\n");
    ASSERT_EQ(run_tool("view " + path("crates/tamsin") + " -o " + path("a.html")).exit, 0);
    browser_.open(folder_ / "a.html", "#flat");
    const auto said = [&](const std::string& what) { return browser_.run("return " + what); };
    const auto keys = [&](const std::vector<std::string>& names) {
        for (const std::string& name : names) browser_.key(name);
    };
    const std::string moment = "[App.clip, App.playing, sampleAt(leader())]";
    // Keys go to the clip after a click on a button, and to what has the focus otherwise.
    browser_.click("[data-shown=names]");
    keys({" "});
    EXPECT_EQ(said("[App.playing, App.shown.names]"), json::parse("[true,true]"));
    keys({" ", "ArrowDown", "ArrowRight", "ArrowRight"});
    EXPECT_EQ(said(moment), json::parse(R"(["walk",false,2])"));
    keys({"End"});
    EXPECT_EQ(said(moment), json::parse(R"(["walk",false,30])"));
    browser_.click("#tab-joints");
    browser_.run("document.querySelector('[data-joint=\"hand.R\"]').focus()");
    keys({" "});
    EXPECT_EQ(said("[[...App.chosen], App.playing]"), json::parse(R"([["hand.R"],false])"));
    browser_.run("byId('tab-joints').focus()");
    keys({"ArrowRight", "ArrowRight"});
    EXPECT_EQ(said("[App.tab, document.activeElement.id]"),
              json::parse(R"(["findings","tab-findings"])"));
    // The search takes its first hit, says when there is none, and is cleared.
    browser_.click("#search");
    keys({"p", "i", "Enter"});
    EXPECT_EQ(said(moment), json::parse(R"(["pick",false,0])"));
    browser_.click("#search");
    keys({"q"});
    EXPECT_EQ(said("byId('clips').textContent"), "No clip has this in its name.");
    keys({"Escape"});
    EXPECT_EQ(said("byId('clips').children.length"), 3);
    // The camera is moved while it follows, stays within limits, and comes home.
    const json before = said("App.stage.aim()");
    browser_.drag("#stage", 100, 0, 8);
    EXPECT_GT(said("Math.hypot(...App.stage.pan)").get<double>(), 0.1);
    EXPECT_NE(said("App.stage.aim()"), before);
    // A finger turns it; two that go apart to twice their distance bring it twice as near.
    const double yaw = said("App.stage.yaw").get<double>();
    browser_.touch("#stage", {{0, 80}});
    EXPECT_NEAR(said("App.stage.yaw").get<double>(), yaw - 80 * 0.008, 1e-9);
    browser_.touch("#stage", {{80, 0}});
    const double away = said("App.stage.distance").get<double>();
    browser_.touch("#stage", {{-50, -100}, {50, 100}});
    EXPECT_NEAR(said("App.stage.distance").get<double>(), away / 2, away * 1e-3);
    for (int i = 0; i < 30; ++i) browser_.wheel("#stage", 400);
    EXPECT_EQ(said("App.stage.distance === 30 * App.size"), true);
    browser_.run("byId('stage').focus()");
    keys({"ArrowLeft", "0"});
    EXPECT_EQ(said("[App.stage.distance < 4 * App.size, App.stage.pan]"),
              json::parse("[true,[0,0,0]]"));
    EXPECT_NEAR(said("App.stage.yaw").get<double>(), -0.99, 1e-9);
    // The time line: a zoom about the mouse, a click lands on a sample, a cue is gone to.
    browser_.run("mellow.select('walk')");
    for (int i = 0; i < 4; ++i) browser_.wheel("#line", -200);
    EXPECT_NEAR(said("Line.to - Line.from").get<double>(), std::exp(-1.6), 1e-9);
    EXPECT_NEAR(said("(Line.to + Line.from) / 2").get<double>(), 0.5, 0.02);
    browser_.drag("#line", 7, 12);
    EXPECT_EQ(said("[sampleAt(leader()) % 1, App.seconds > 0.4]"), json::parse("[0,true]"));
    EXPECT_EQ(
        browser_.run("Line.whole(); draw(); const box = byId('line').getBoundingClientRect();"
                     "return [Line.marks.length, Line.marks[0].title, Line.markAt({ clientX: "
                     "box.left + Line.marks[0].x, clientY: box.top + Line.top - 3 }).seconds]"),
        json::parse(R"([1,"left, 0.250 s to 0.375 s",0.25])"));
    // At its end a clip that stops begins anew.
    browser_.run("App.mode = 'once'; seek(Infinity); mellow.play(true)");
    EXPECT_LT(said("App.seconds").get<double>(), 0.9);
    browser_.run("App.mode = 'on'; mellow.play(false); seekSample(12)");
    // Paused it does nothing; the moment stands in the address and comes back.
    browser_.run(
        "window.frames_ = 0; const ask = requestAnimationFrame;"
        "requestAnimationFrame = (f) => { ++window.frames_; return ask(f); }");
    browser_.run("return new Promise((done) => setTimeout(done, 200))");
    EXPECT_EQ(said("window.frames_"), 0);
    const std::string address = said("location.hash").get<std::string>();
    EXPECT_EQ(address, "#flat&clip=walk&sample=12&tab=findings&joints=hand.R");
    browser_.open(folder_ / "a.html", address);
    EXPECT_EQ(said(moment), json::parse(R"(["walk",false,12])"));
    EXPECT_EQ(said("[App.tab, [...App.chosen], App.errors]"),
              json::parse(R"(["findings",["hand.R"],[]])"));
    // Fourteen rounds on: what travels is in view and on the ground; both ends of a loop are one.
    const json far = browser_.run(R"(
        App.rounds = 14; draw();
        const z = rootOn(App.figures[0], App.poses[0])[2], drawn = [], { stage } = App;
        Paint.ground({ ...stage, target: stage.target, line: (p) => drawn.push(...p), word() {}, project: (p) => stage.project(p) });
        const { first, last } = Paint.ends(App.figures[0], leader()), root = rootOf(App.figures[0]);
        return { z, seen: stage.project(rootOn(App.figures[0], App.poses[0])), low: Math.min(...drawn.map((p) => p[2])), high: Math.max(...drawn.map((p) => p[2])),
            apart: between(placeOn(first, root), placeOn(last, root)), seam: Paint.seam(App.figures[0], leader()) };)");
    EXPECT_NEAR(far["z"].get<double>(), 14.4, 0.2);
    EXPECT_LT(far["low"].get<double>(), far["z"].get<double>() - 2);
    EXPECT_GT(far["high"].get<double>(), far["z"].get<double>() + 2);
    EXPECT_NEAR(far["seen"][0].get<double>(), 390, 60) << "in the middle of the stage";
    EXPECT_LT(far["apart"].get<double>(), 1e-3);
    EXPECT_LT(far["seam"]["mm"].get<double>(), 0.01);
    EXPECT_LT(far["seam"]["degrees"].get<double>(), 0.01);
    // What goes wrong is said on the page.
    browser_.run("setTimeout(() => { throw new Error('a rotten apple'); })");
    browser_.run("return new Promise((done) => setTimeout(done, 50))");
    EXPECT_THAT(said("byId('trouble').textContent").get<std::string>(), HasSubstr("rotten"));
}

TEST_F(PageTest, OfStatesEveryButtonTakesWhileTheyPlay) {
    pack("[target]\nconvention = \"y-up-metre\"\n");
    write_text(folder_ / "s.toml",
               "start = \"stand\"\nflags = { walking = false, carrying = false }\n[[state]]\n"
               "name = \"stand\"\n[[state]]\nname = \"walk\"\n[[way]]\nfrom = \"stand\"\n"
               "to = \"walk\"\nwhen = \"walking\"\n");
    ASSERT_EQ(run_tool("play " + path("crates/tamsin") + " --states " + path("s.toml") +
                       " --seconds 1 --quiet -o " + path("a.html"))
                  .exit,
              0);
    browser_.open(folder_ / "a.html", "#flat");
    const auto said = [&](const std::string& what) { return browser_.run("return " + what); };
    for (int i = 1; i <= 3; ++i) {
        browser_.click("[data-flag=carrying]", 350);
        EXPECT_EQ(said("States.machine.flags.carrying"), i % 2 == 1) << i;
    }
    browser_.run("document.querySelector('[data-flag=walking]').focus()");
    browser_.key("Enter");
    browser_.run("return new Promise((done) => setTimeout(done, 300))");
    EXPECT_EQ(said("[document.activeElement.dataset.flag, App.clip, App.playing]"),
              json::parse(R"(["walking","walk",true])"));
    // A click on the time line leaves the states, which is said; their keys go back to them.
    browser_.drag("#line", 2, 12);
    EXPECT_EQ(said("[States.on, App.playing]"), json::parse("[false,false]"));
    EXPECT_THAT(said("byId('shown').textContent").get<std::string>(), HasSubstr("states wait"));
    browser_.key("c");
    EXPECT_EQ(said("[States.on, App.playing, States.machine.flags.carrying]"),
              json::parse("[true,true,false]"));
    browser_.key("Home");
    EXPECT_LT(said("States.machine.seconds").get<double>(), 0.25);
    EXPECT_THAT(said("App.errors"), SizeIs(0));
}

TEST_F(PageTest, NothingIsBlankWithoutJointsAndFiguresOfOneNameAreToldApart) {
    // One corner at the origin, one a metre up, one a metre ahead.
    std::vector<unsigned char> corners(36);
    const float places[] = {0, 0, 0, 0, 1, 0, 0, 0, 1};
    std::memcpy(corners.data(), places, 36);
    const std::string board =
        R"("buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,)" +
        test::base64(corners) +
        R"("}],"bufferViews":[{"buffer":0,"byteLength":36}],"accessors":[{"bufferView":0,
        "componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[0,1,1]}],
        "meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],"nodes":[{"mesh":0}],"scenes":[{"nodes":[0]}])";
    for (const auto& [more, height] :
         {std::pair(std::string(R"("scenes":[{}])"), 0.001), std::pair(board, 1.0)}) {
        write_text(folder_ / "a.gltf", R"({"asset":{"version":"2.0"},)" + more + "}");
        ASSERT_EQ(run_tool("view --replace " + path("a.gltf") + " -o " + path("a.html")).exit, 0);
        EXPECT_EQ(browser_.open(folder_ / "a.html", "#flat", "return [App.errors, App.height]"),
                  json::array({json::array(), height}));
    }
    fs::create_directory(folder_ / "b");
    fs::copy(folder_ / "a.gltf", folder_ / "b/a.gltf");
    ASSERT_EQ(run_tool("view --replace " + path("a.gltf") + " " + path("b/a.gltf") + " -o " +
                       path("a.html"))
                  .exit,
              0);
    EXPECT_EQ(
        browser_.open(
            folder_ / "a.html", "#flat",
            "return [document.title, byId('what').textContent, App.figures.map((f) => f.name)]"),
        json::parse(R"(["a","2 figures",["a, file 1","a, file 2"]])"));
}

TEST_F(PageTest, FilesBesideThePageAreReadWhenTheyAreShown) {
    pack("[target]\nconvention = \"y-up-metre\"\n");
    const std::string crate = path("crates/tamsin"), page = path("far away/a #1.html");
    fs::create_directory(folder_ / "far away");
    const ToolRun first = run_tool("view " + crate + " --linked -o '" + page + "'");
    EXPECT_EQ(first.exit, 0) << first.err;
    EXPECT_THAT(first.out, HasSubstr("a #1.files, which belongs beside it"));
    const auto there = [&] {
        std::set<std::string> names;
        for (const auto& file : fs::directory_iterator(folder_ / "far away/a #1.files"))
            names.insert(file.path().filename().string());
        return names;
    };
    EXPECT_THAT(there(), SizeIs(4));  // a skin and three clips
    EXPECT_THAT(read_text(page), HasSubstr("three.js authors, and Chart.js,\nCopyright"));
    const std::string whole = path("whole.html");
    EXPECT_EQ(run_tool("view " + crate + " -o " + whole).exit, 0);
    EXPECT_EQ(fs::file_size(whole) < fs::file_size(page) + 1'000'000, true);
    EXPECT_GT(fs::file_size(whole), fs::file_size(page) + 50'000);
    // The same places, from other files.
    const json embedded = browser_.open(whole, "#flat-check", "");
    const json linked = browser_.open(page, "#flat-check", "");
    EXPECT_EQ(linked["figures"], embedded["figures"]);
    EXPECT_THAT(linked["state"]["errors"], SizeIs(0));
    // Of many clips that were shown the last ones stay open.
    EXPECT_EQ(browser_.open(whole, "#flat",
                            "App.mostKept = 1; for (const n of [...names(), ...names()]) "
                            "clipOf(App.figures[0], n); return [App.figures[0].clips.map((c) => "
                            "c.name), App.files.size]"),
              json::parse(R"([["walk","pick"],3])"));
    // Without the folder it says what is wrong.
    fs::rename(folder_ / "far away/a #1.files", folder_ / "elsewhere");
    const json lost = browser_.open(page, "#flat", "return byId('trouble').textContent");
    EXPECT_THAT(lost.get<std::string>(), HasSubstr("belongs beside this page"));
    fs::rename(folder_ / "elsewhere", folder_ / "far away/a #1.files");
    // Not replaced unasked, and then nothing else changes; replaced, the old clips go.
    const auto before = there();
    EXPECT_EQ(run_tool("view " + crate + " --match walk --linked -o '" + page + "'").exit, 4);
    EXPECT_EQ(there(), before);
    EXPECT_EQ(run_tool("view " + crate + " --match walk --linked --replace -o '" + page + "'").exit,
              0);
    EXPECT_THAT(there(), SizeIs(2));
    EXPECT_EQ(run_tool("view " + crate + " --replace -o '" + page + "'").exit, 0);
    EXPECT_FALSE(fs::exists(folder_ / "far away/a #1.files"));
    EXPECT_EQ(run_tool("view " + crate + " --linked -o " + path("b.png")).exit, 2);
    // A name that cannot be a folder: nothing is left.
    write_text(folder_ / "b.files", "mine");
    EXPECT_EQ(run_tool("view " + crate + " --linked -o " + path("b.html")).exit, 4);
    EXPECT_EQ(read_text(folder_ / "b.files"), "mine");
    EXPECT_FALSE(fs::exists(folder_ / "b.html"));
}

TEST_F(PageTest, MistakesAreToldAndNothingIsWritten) {
    pack("[target]\nconvention = \"y-up-metre\"\n");
    const std::string crate = path("crates/tamsin"), out = " -o " + path("a.html");
    EXPECT_THAT(run_tool("view " + crate + " --match q" + out).err, HasSubstr("stand, walk, pick"));
    EXPECT_EQ(run_tool("view " + path("nowhere.glb") + out).exit, 3);
    EXPECT_EQ(run_tool("view " + crate + " -o " + crate + "/a.html").exit, 4);
    write_text(folder_ / "crates/tamsin/clips/walk.glb", "glTF");
    EXPECT_THAT(run_tool("view " + crate + out).err, HasSubstr("other content"));
    EXPECT_FALSE(fs::exists(folder_ / "a.html"));
    const std::string manifest = read_text(folder_ / "crates/tamsin/crate.json");
    write_text(folder_ / "crates/tamsin/crate.json",
               change(manifest, "clips/walk.glb", "../../tamsin.glb"));
    EXPECT_THAT(run_tool("view " + crate + out).err, HasSubstr("outside the crate"));
    write_text(folder_ / "crates/tamsin/crate.json", "{}");
    EXPECT_EQ(run_tool("view " + crate + out).exit, 3);
    EXPECT_FALSE(fs::exists(folder_ / "a.html"));
    Page large;
    EXPECT_EQ(large.most_file_bytes, 380'000'000U);
    large.most_file_bytes = 100;
    Scene scene;
    test::add_node(scene, "hips", kNone, {});
    EXPECT_THAT(add_scene(large, "walk", scene), FailsWith(Code::kLimit, "browsers"));
    // Animations without names, or of one name, are told apart.
    for (const char* name : {"", "", "walk", "walk"}) scene.timelines.emplace_back().name = name;
    Page several;
    ASSERT_THAT(add_scene(several, "walker", scene), IsOk());
    std::vector<std::string> names;
    for (const PageClip& clip : several.figures[0].clips) names.push_back(clip.name);
    EXPECT_THAT(names, testing::ElementsAre("animation 1", "animation 2", "walk", "walk (4)"));
    // Names cannot end the script that holds them.
    Page page;
    page.title = "</script><b>";
    EXPECT_THAT(page_text(page), HasSubstr("\\u003c/script>"));
}

}  // namespace
}  // namespace mellow::page_test
