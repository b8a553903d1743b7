// Details below everything else: texts, numbers, angles, and all numbers of a scene in another
// convention. Expected values are worked by hand or with the standard library.
#include <fmt/format.h>

#include <array>
#include <cmath>
#include <random>
#include <set>

#include "base/number.h"
#include "base/text.h"
#include "math/sincos.h"
#include "math/triangulate.h"
#include "mellow/euler.h"
#include "mellow/pose.h"
#include "mellow/read.h"
#include "mellow/recipe.h"
#include "mellow/rig_sheet.h"
#include "mellow/true_convention.h"
#include "rigs.h"

namespace mellow::basics_test {
namespace {

using namespace test;
using namespace testing;

const Vec3 kOne{1, 1, 1};

// --------------------------------------------------------------------------------------- texts

TEST(DetailTest, FindingsAsText) {
    const Finding f{Code::kValueBad, Severity::kWarning, "a\x1b[1m\x1f\x7f", "b\tc", "",
                    "one\ntwo"};
    EXPECT_EQ(to_text(f),
              "warning[value-bad] a\\x1b[1m\\x1f\\x7f\n  found:    b\\x09c\n"
              "  do:       one\n            two");
}

TEST(DetailTest, CodesAreCalledAsTheyAreWritten) {
    // kNodeCycle is "node-cycle": the enumerators as the header lists them.
    const std::string header =
        test::read_text(std::string(MELLOW_SOURCE_DIR) + "/include/mellow/finding.h");
    const auto from = header.find("enum class Code"), to = header.find("};", from);
    std::istringstream list(header.substr(from, to - from));
    int code = 0;
    for (std::string word; list >> word;) {
        if (word[0] != 'k' || !std::isupper(word[1])) continue;
        std::string called;
        for (std::size_t i = 1; i < word.size() && std::isalpha(word[i]); ++i) {
            if (std::isupper(word[i]) && i > 1) called += '-';
            called += static_cast<char>(std::tolower(word[i]));
        }
        EXPECT_EQ(name(static_cast<Code>(code)), called);
        ++code;
    }
    EXPECT_GT(code, 70);
}

TEST(DetailTest, SuggestionsAreNear) {
    EXPECT_EQ(suggest("qqqq", {"hips", "chest"}), "one of: hips, chest");
    EXPECT_EQ(suggest("hpis", {"hips", "chest"}), "did you mean \"hips\"?");
    std::vector<std::string> many;
    for (int i = 0; i < 1000; ++i) many.push_back(fmt::format("joint_number_{:03}", i));
    EXPECT_LT(name_list(many).size(), 250U);
    EXPECT_THAT(name_list(many), HasSubstr("and 990 more"));
    many.push_back("elbow");
    EXPECT_THAT(suggest("xelbowxx", many), Not(HasSubstr("joint_number_999")));
    EXPECT_THAT(suggest("zzelbowzz", many), HasSubstr("one of: elbow, "));
}

TEST(DetailTest, NumbersOfRecipesAreFinite) {
    const auto recipe = [](const std::string& more) {
        return parse_recipe(
            "[source]\nfile = \"f\"\n[[clip]]\nname = \"c\"\nrange = [0, 1]\n"
            "[output]\nfolder = \"o\"\n" +
                more,
            "r.toml", ".");
    };
    EXPECT_THAT(recipe(""), IsOk());
    for (const char* wrong : {"[proof]\ntolerance_mm = inf\n", "[proof]\ntolerance_mm = nan\n",
                              "[joints]\nkeep = [\"a\", 7]\n", "[travel]\nroot = 3\n"})
        EXPECT_THAT(recipe(wrong), FailsWith(Code::kValueBad, "r.toml:9")) << wrong;
    const auto curve = [](const char* points) {
        return parse_rig_sheet(fmt::format("[[scalar]]\nname = \"x\"\nkeys = {}\n", points), "s");
    };
    EXPECT_THAT(curve("[[0, 0], [1, 1]]"), IsOk());
    for (const char* points : {"[[0, inf], [1, 1]]", "[[0, 0], [0, 1]]", "[[1, 0], [0, 1]]"})
        EXPECT_THAT(curve(points), FailsWith(Code::kValueBad, "keys")) << points;
    EXPECT_THAT(parse_rig_sheet(
                    "[[rule]]\nkind = \"lag\"\nnode = \"n\"\nfrequency = 1\ndamping = 1e9\n", "s"),
                FailsWith(Code::kValueBad, "0 to 20"));
    std::string deep = "x = ";
    for (int i = 0; i < 40; ++i) deep += "[";
    EXPECT_THAT(parse_recipe(deep, "r.toml", "."), FailsWith(Code::kLimit, "r.toml:1"));
    std::string dots = "a";
    for (int i = 0; i < 40; ++i) dots += ".a";
    EXPECT_THAT(parse_recipe(dots + " = 1", "r.toml", "."), FailsWith(Code::kLimit, "r.toml:1"));
    // Two keys of a layer's noise that need each other, and one alone.
    EXPECT_THAT(recipe("rate = 3\n"), FailsWith(Code::kKeyUnknown, "rate"));
}

TEST(DetailTest, DecimalsAreReadAsTheStandardLibraryDoes) {
    for (const char* text :
         {"1.5e3 ", "-0.125 ", "123456789.5 ", "0.1 ", "17 ", ".5 ", "-7. ", "+2.25 "}) {
        const std::string padded = std::string(text) + std::string(32, ' ');
        const char* at = padded.data();
        double value = 0;
        ASSERT_TRUE(parse_number(at, padded.data() + padded.size(), value)) << text;
        EXPECT_EQ(value, std::strtod(text, nullptr)) << text;
    }
    for (const char* text : {"+-1 ", "- 1 ", "x ", "++2 "}) {
        const std::string padded = std::string(text) + std::string(32, ' ');
        const char* at = padded.data();
        double value = 0;
        EXPECT_FALSE(parse_number(at, padded.data() + padded.size(), value)) << text;
    }
}

TEST(DetailTest, NumbersOfAllLengthsAreTheNearestDoubles) {
    std::mt19937_64 random(5);
    for (int i = 0; i < 20000; ++i) {
        std::string text = random() % 3 == 0 ? "-" : "";
        for (std::uint64_t n = random() % 10; n > 0; --n) text += "0123456789"[random() % 10];
        if (random() % 8 != 0) text += '.';
        for (std::uint64_t n = 1 + random() % 9; n > 0; --n) text += "01234567899"[random() % 11];
        if (random() % 16 == 0) text += "e-3";
        const double nearest = std::strtod(text.c_str(), nullptr);
        const std::string padded = text + " and room for reading on";
        const char* at = padded.data();
        double read = 0;
        ASSERT_TRUE(parse_number(at, padded.data() + padded.size(), read)) << text;
        ASSERT_EQ(read, nearest) << text;
        ASSERT_EQ(at, padded.data() + text.size()) << text;
    }
}

// -------------------------------------------------------------------------------------- angles

TEST(DetailTest, AnglesGoOnWhereAMiddleOneGoesBeyondARightOne) {
    for (int order = 0; order < 6; ++order) {
        const auto o = static_cast<EulerOrder>(order);
        EulerAngles last{};
        for (int k = 0; k <= 40; ++k) {
            const double b = k * 0.1, a = 0.3 + 0.02 * k;
            const Quat q = from_euler({a, b, -0.4}, o);
            const EulerAngles now = to_euler(q, o, last);
            EXPECT_NEAR(angle(from_euler(now, o), q), 0, 1e-5) << order << " " << k;
            EXPECT_NEAR(now[0], a, 1e-6) << order << " " << k;
            EXPECT_NEAR(now[1], b, 1e-6) << order << " " << k;
            last = now;
        }
        // Close to a right middle angle nothing is lost.
        for (const double b : {std::numbers::pi / 2 - 0.005, std::numbers::pi / 2 - 1e-4}) {
            const Quat q = from_euler({0.3, b, 0.5}, o);
            EXPECT_NEAR(angle(from_euler(to_euler(q, o, {}), o), q), 0, 1e-5) << order;
        }
    }
}

TEST(DetailTest, SmallTurnsAreMixedEvenly) {
    for (const double degrees : {0.5, 2.0, 5.0})
        EXPECT_NEAR(angle(slerp({}, turn(kX, degrees), 0.25), turn(kX, degrees / 4)), 0, 1e-9);
    EXPECT_NEAR(angle(slerp(turn(kX, 10), -turn(kX, 30), 0.5), turn(kX, 20)), 0, 1e-9);
}

TEST(DetailTest, HalfTurnsAndWideSwings) {
    EXPECT_NEAR(twist_angle({0, 1, 0, 0}, kY), std::numbers::pi, 1e-12);
    EXPECT_NEAR(twist_angle({0, -1, 0, 0}, kY), std::numbers::pi, 1e-12) << "(-pi, pi]";
    EXPECT_NEAR(swing_angle(turn(kX, 120), kY), 120 * std::numbers::pi / 180, 1e-12);
}

TEST(DetailTest, FlattenedMatricesHaveNoShear) {
    const Affine flat{{1, 0, 0}, {0.5, 0, 0}, {0, 0, 1}, {}};
    const Affine k = shear_of(flat, decompose(flat).transform);
    for (const Vec3 v : {k.x, k.y, k.z}) EXPECT_TRUE(is_finite(v));
    const Affine m{{2, 0.3, 0}, {0.5, 1, 0.1}, {0, 0.2, 3}, {}};
    const Transform t = decompose(m).transform;
    EXPECT_LT(test::difference(to_affine({{}, t.r, t.s}) * shear_of(m, t), m), 1e-12);
}

TEST(DetailTest, SinesOfManyTurns) {
    std::mt19937 random(3);
    std::uniform_real_distribution<double> unit(-1, 1);
    for (const double size : {1.0, 10.0, 1e3, 1e6, 1e9}) {
        std::vector<double> a(37), s(37), c(37);
        for (double& v : a) v = size * unit(random);
        sincos(a.data(), a.size(), s.data(), c.data());
        for (std::size_t i = 0; i < a.size(); ++i) {
            EXPECT_NEAR(s[i], std::sin(a[i]), 1e-11) << a[i];
            EXPECT_NEAR(c[i], std::cos(a[i]), 1e-11) << a[i];
        }
    }
}

TEST(DetailTest, PolygonsAreCoveredOnce) {
    const auto areas = [](const std::vector<std::vector<Vec3>>& rings) {
        std::vector<Vec3> all;
        for (const auto& ring : rings) all.insert(all.end(), ring.begin(), ring.end());
        const auto t = triangulate(rings);
        double sum = 0, turned = 0;
        for (std::size_t i = 0; i + 2 < t.size(); i += 3) {
            const double area = cross(all[t[i + 1]] - all[t[i]], all[t[i + 2]] - all[t[i]]).z / 2;
            (area > 0 ? sum : turned) += std::abs(area);
        }
        return std::pair(sum, turned);
    };
    // An L of three squares, with corners one after the other.
    EXPECT_EQ(areas({{{0, 0, 0}, {2, 0, 0}, {2, 1, 0}, {1, 1, 0}, {1, 2, 0}, {0, 2, 0}}}),
              std::pair(3.0, 0.0));
    // A star of four points: each inner corner is a notch.
    std::vector<Vec3> star;
    for (int i = 0; i < 8; ++i) {
        const double r = i % 2 == 0 ? 4 : 1, a = i * std::numbers::pi / 4;
        star.push_back({r * std::cos(a), r * std::sin(a), 0});
    }
    const auto [sum, turned] = areas({star});
    EXPECT_NEAR(sum, 8 * 4 * 1 * std::sin(std::numbers::pi / 4) / 2, 1e-9);
    EXPECT_NEAR(turned, 0, 1e-9);
    // A window, its ring either way round.
    const std::vector<Vec3> wall{{0, 0, 0}, {6, 0, 0}, {6, 6, 0}, {0, 6, 0}};
    std::vector<Vec3> window{{2, 2, 0}, {4, 2, 0}, {4, 4, 0}, {2, 4, 0}};
    for (int way = 0; way < 2; ++way) {
        const auto [covered, over] = areas({wall, window});
        EXPECT_NEAR(covered, 32, 1e-9) << way;
        EXPECT_NEAR(over, 0, 1e-9) << way;
        std::reverse(window.begin(), window.end());
    }
}

// --------------------------------------------------------------------------------------- units

TEST(DetailTest, UnitsAndRates) {
    for (const auto& [name, metres] : {std::pair{"foot", 0.3048},
                                       {"feet", 0.3048},
                                       {"inch", 0.0254},
                                       {"in", 0.0254},
                                       {"mm", 0.001},
                                       {"cm", 0.01},
                                       {"m", 1.0},
                                       {"0.5", 0.5}})
        EXPECT_EQ(parse_unit(name), metres) << name;
    for (const char* name : {"0", "-1", "1e9", "inf", "nan", "furlong", ""})
        EXPECT_FALSE(parse_unit(name).has_value()) << name;
    EXPECT_EQ(snap_rate(29), (FrameRate{29, 1}));
    EXPECT_EQ(snap_rate(29.97), (FrameRate{30000, 1001}));
    EXPECT_EQ(snap_rate(1 / 0.0333333), (FrameRate{30, 1}));
    EXPECT_EQ(parse_rate("30000/1001"), (FrameRate{30000, 1001}));
    for (const char* rate : {"30/0", "0/1", "-30", "0", "1e9", "x"})
        EXPECT_FALSE(parse_rate(rate)) << rate;
}

TEST(DetailTest, UsualRatesAreToldByTheirKeys) {
    for (const FrameRate rate : {FrameRate{24, 1},
                                 {25, 1},
                                 {30, 1},
                                 {48, 1},
                                 {50, 1},
                                 {60, 1},
                                 {90, 1},
                                 {100, 1},
                                 {120, 1},
                                 {240, 1},
                                 {30000, 1001},
                                 {24000, 1001},
                                 {60000, 1001}}) {
        Timeline timeline;
        Curve curve{Interpolation::kLinear, 3, {}, {}};
        std::vector<double> times;
        for (const int frame : {0, 1, 2, 3, 5, 8, 13, 29, 31, 97}) {
            times.push_back(rate.seconds(frame));
            curve.values.append({0, 1.0 * frame, 0});
        }
        curve.times = KeyTimes(times);
        timeline.channels.push_back({0, Path::kTranslation, curve});
        FrameRate guessed;
        EXPECT_TRUE(guess_rate(timeline, guessed));
        EXPECT_EQ(guessed, rate) << guessed.num << "/" << guessed.den;
    }
}

TEST(DetailTest, NamesThatNobodyGaveTellNothing) {
    for (const char* name : {"", "Take 001", "Animation", "animation_12", "ACTION.003", "clip-2",
                             "001", "default", "Untitled 3", "new_animation"})
        EXPECT_EQ(tells_something(name), std::string_view(name) == "new_animation") << name;
    for (const char* name :
         {"walk", "walk_2", "take_apple", "clip the hedge", "\u8d70\u308b", "idle"})
        EXPECT_TRUE(tells_something(name)) << name;
    EXPECT_THAT(numbered_run({"shot 1", "walk", "Shot_02", "shot3", "7"}),
                testing::ElementsAre("shot 1", "Shot_02", "shot3"));
    EXPECT_THAT(numbered_run({"shot 1", "shot 2", "walk"}), testing::IsEmpty());
    EXPECT_THAT(numbered_run({"s1", "s2", "s3", "a", "b", "c", "d"}), testing::IsEmpty());
}

TEST(DetailTest, KeysBesideFramesStayThere) {
    Scene scene;
    scene.rate = {24, 1};
    add_node(scene, "n", kNone, {});
    key(scene, 0, Path::kTranslation, {0, 0, 0}, {1, 0, 0}, 1.2 / 24);
    snap_keys(scene);
    EXPECT_NEAR(scene.timelines[0].channels[0].curve.times.back(), 1.2 / 24, 1e-12);
}

TEST(DetailTest, SkeletonsAreTreesOfNumbers) {
    EXPECT_THAT(Skeleton::make({{"a", -1, {}}, {"b", 1, {}}}),
                FailsWith(Code::kNodeCycle, "parent 1"));
    EXPECT_THAT(Skeleton::make({{"a", -2, {}}}), FailsWith(Code::kNodeCycle, ""));
    for (int what = 0; what < 3; ++what) {
        Transform t;
        (what == 0 ? t.t.y : what == 1 ? t.s.z : t.r.x) = std::nan("");
        EXPECT_THAT(Skeleton::make({{"a", -1, t}}), FailsWith(Code::kNumberBad, "\"a\"")) << what;
    }
}

TEST(DetailTest, TimelinesGetNamesOfTheirOwn) {
    for (const std::vector<const char*>& given : {std::vector{"walk", "walk", "walk_2", ""},
                                                  {"walk_2", "walk_3", "walk", "walk"},
                                                  {"walk 2", "walk.2", "walk", "walk", "walk"}}) {
        Scene scene;
        for (const char* name : given) scene.timelines.emplace_back().name = name;
        (void)name_timelines(scene);
        std::set<std::string> names;
        for (const Timeline& t : scene.timelines) names.insert(t.name);
        EXPECT_EQ(names.size(), given.size()) << given[0];
    }
}

TEST(DetailTest, WhatHangsOnTheFigureIsOfIt) {
    Scene scene;
    const int hips = add_node(scene, "hips", kNone, {});
    const int hand = add_node(scene, "hand", hips, {});
    const int ring = add_node(scene, "ring", hand, {});
    const int floor = add_node(scene, "floor", kNone, {});
    scene.meshes.emplace_back();
    scene.nodes[2].mesh = scene.nodes[3].mesh = 0;
    scene.skins.push_back({"s", {hips}, std::vector<Affine>(1), kNone, {}, {}});
    EXPECT_THAT(static_meshes(scene), ElementsAre(floor));
    EXPECT_EQ(ring, 2);
}

TEST(DetailTest, PatternsAndSubtrees) {
    for (const auto& [pattern, name] : {std::pair{"*ab", "xaab"},
                                        {"a*b*c", "axxbyyc"},
                                        {"*", ""},
                                        {"?a*", "xa"},
                                        {"*a*a", "aba"}})
        EXPECT_TRUE(fits_pattern(pattern, name)) << pattern;
    for (const auto& [pattern, name] :
         {std::pair{"*ab", "xabx"}, {"?", ""}, {"a?", "a"}, {"a*b", "a"}})
        EXPECT_FALSE(fits_pattern(pattern, name)) << pattern;
    Scene scene;
    for (int i = 0; i < 4; ++i) add_node(scene, fmt::format("n{}", i), i - 1, {});
    EXPECT_THAT(masked_nodes(scene, parse_mask({"below:n1"}), "", "w").value(),
                ElementsAre(1, 2, 3));
}

// ------------------------------------------------------------------------- whole scenes converted

/// Rows that take left, up and front of a convention to X, Y and Z.
using Rows = std::array<std::array<double, 3>, 3>;
Rows rows_of(const Convention& c) {
    const Vec3 u = direction(c.up), f = direction(c.front);
    return {{{u.y * f.z - u.z * f.y, u.z * f.x - u.x * f.z, u.x * f.y - u.y * f.x},
             {u.x, u.y, u.z},
             {f.x, f.y, f.z}}};
}
Vec3 by(const Rows& rows, Vec3 v, double scale = 1) {
    const auto dot_row = [&](std::size_t i) {
        return scale * (rows[i][0] * v.x + rows[i][1] * v.y + rows[i][2] * v.z);
    };
    return {dot_row(0), dot_row(1), dot_row(2)};
}
Vec3 of(const Float3& p) { return {p[0], p[1], p[2]}; }

TEST(DetailTest, EveryNumberOfASceneIsConverted) {
    for (const Axis up : {Axis::kPlusZ, Axis::kMinusX, Axis::kMinusY})
        for (const Axis front : {Axis::kMinusY, Axis::kPlusX, Axis::kPlusZ}) {
            const Convention from{0.01, up, front};
            if (!is_valid(from)) continue;
            SCOPED_TRACE(to_text(from));
            Scene scene;
            scene.convention = from;
            add_node(scene, "n", kNone, {{1, 2, 3}, turn({0.6, 0, 0.8}, 40), {1, 2, 3}});
            scene.nodes[0].shear = Affine{{1, 0.1, 0}, {0.2, 1, 0.3}, {0, 0, 1}, {}};
            const int eye =
                add_node(scene, "eye", kNone, {{4, 5, 6}, turn({0, 0.6, 0.8}, 25), kOne});
            scene.nodes[1].camera = 0;
            Primitive p;
            p.positions = {{1, 2, 3}};
            p.normals = {{0.6F, 0, 0.8F}};
            p.tangents = {{0, 0.6F, 0.8F, -1}};
            p.targets.resize(1);
            p.targets[0] = {{{3, 2, 1}}, {{0.1F, 0.2F, 0.3F}}, {{0.4F, 0.5F, 0.6F}}, {}};
            scene.meshes.emplace_back().primitives = {p};
            scene.nodes[0].mesh = 0;
            scene.skins.push_back({"s",
                                   {0},
                                   {Affine{{1, 2, 3}, {4, 5, 6}, {7, 8, 10}, {11, 12, 13}}},
                                   kNone,
                                   {},
                                   {}});
            key(scene, 0, Path::kTranslation, {1, 2, 3}, {7, 8, 9});
            key(scene, 0, Path::kScale, {1, 2, 3}, {4, 5, 6});
            key(scene, 0, Path::kRotation, {0.1, 0.2, 0.3, 0.9}, {0.3, -0.2, 0.1, 0.9});
            scene.timelines[0].shears.push_back(
                {0,
                 {Interpolation::kLinear,
                  9,
                  {0, 1},
                  {1, 0.1, 0, 0.2, 1, 0.3, 0, 0, 1, 1, 0, 0, 0, 1, 0, 0.5, 0, 1}}});
            const Scene before = scene;
            const Pose was = pose_at(before, before.timelines[0], 0.5);
            to_inside(scene);
            const Rows r = rows_of(from);
            const Primitive& q = scene.meshes[0].primitives[0];
            const auto near = [](Vec3 a, Vec3 b, const char* what) {
                EXPECT_LT(length(a - b), 1e-6) << what;
            };
            near(of(q.positions[0]), by(r, {1, 2, 3}, 0.01), "position");
            near(of(q.normals[0]), by(r, of(p.normals[0])), "normal");
            near({q.tangents[0][0], q.tangents[0][1], q.tangents[0][2]}, by(r, {0, 0.6, 0.8}),
                 "tangent");
            EXPECT_EQ(q.tangents[0][3], -1);
            near(of(q.targets[0].positions[0]), by(r, {3, 2, 1}, 0.01), "morph position");
            near(of(q.targets[0].normals[0]), by(r, of(p.targets[0].normals[0])), "morph normal");
            near(of(q.targets[0].tangents[0]), by(r, of(p.targets[0].tangents[0])),
                 "morph tangent");
            // Matrices map converted points as they mapped the points.
            const Vec3 point{0.3, -0.7, 0.9};
            const auto maps_alike = [&](const Affine& now, const Affine& then, const char* what) {
                near(apply(now, by(r, point, 0.01)), by(r, apply(then, point), 0.01), what);
            };
            maps_alike(scene.skins[0].inverse_binds[0], before.skins[0].inverse_binds[0],
                       "inverse bind");
            maps_alike(local_matrix(scene.nodes[0]), local_matrix(before.nodes[0]),
                       "rest, with shear");
            const Pose is = pose_at(scene, scene.timelines[0], 0.5);
            maps_alike(is.worlds[0], was.worlds[0], "keys, with shear");
            const Vec3 s = scene.nodes[0].local.s;
            EXPECT_TRUE(s.x > 0 && s.y > 0 && s.z > 0);
            // A camera looks along its -Z whatever the convention, with +Y up.
            int camera = kNone;
            for (std::size_t n = 0; n < scene.nodes.size(); ++n)
                if (scene.nodes[n].camera == 0) camera = static_cast<int>(n);
            ASSERT_NE(camera, kNone);
            const Affine now = is.worlds[static_cast<std::size_t>(camera)],
                         then = was.worlds[static_cast<std::size_t>(eye)];
            near(now.o, by(r, then.o, 0.01), "camera's place");
            near(now.z, by(r, then.z), "camera's way");
            near(now.y, by(r, then.y), "camera's up");
        }
}

TEST(DetailTest, CubicSplinesArriveAsTheyShould) {
    // From 1 with slope 2 to 4 with slope -1 over half a second, by the four basis functions.
    const Curve curve{Interpolation::kCubicSpline, 1, {0, 0.5}, {9, 1, 2, -1, 4, 9}};
    double value = 0;
    for (const double t : {0.125, 0.25, 0.4}) {
        const double u = t / 0.5;
        sample(curve, false, {&t, 1}, &value);
        EXPECT_NEAR(value,
                    (1 + 2 * u) * (1 - u) * (1 - u) * 1 + u * (1 - u) * (1 - u) * 0.5 * 2 +
                        u * u * (3 - 2 * u) * 4 + u * u * (u - 1) * 0.5 * -1,
                    1e-12);
    }
    // Keys of any length are made unit before they are mixed.
    const double h = std::sin(std::numbers::pi / 6), w = std::cos(std::numbers::pi / 6);
    const Curve uneven{Interpolation::kLinear, 4, {0, 1}, {0, 0, 0, 0.7, h, 0, 0, w}};
    double mixed[4];
    const double quarter = 0.25;
    sample(uneven, true, {&quarter, 1}, mixed);
    EXPECT_NEAR(angle({mixed[0], mixed[1], mixed[2], mixed[3]}, turn(kX, 15)), 0, 1e-9);
    // Of turns the result is unit, and in tiles the same.
    Scene scene;
    add_node(scene, "n", kNone, {});
    scene.timelines.emplace_back().channels.push_back(
        {0,
         Path::kRotation,
         {Interpolation::kCubicSpline, 4, {0, 1}, {0, 0, 0, 0, 0,   0, 0, 1,   1, 2, 0, 0,
                                                   0, 3, 1, 0, 0.6, 0, 0, 0.8, 0, 0, 0, 0}}});
    const PoseTile tile = test::evaluate(scene, {}, 0.37);
    double q[4];
    const double t = 0.37;
    sample(scene.timelines[0].channels[0].curve, true, {&t, 1}, q);
    EXPECT_NEAR(q[0] * q[0] + q[1] * q[1] + q[2] * q[2] + q[3] * q[3], 1, 1e-12);
    EXPECT_LT(angle({q[0], q[1], q[2], q[3]}, tile.local(0, 0).r), 1e-9);
}

TEST(DetailTest, JointsOfAScaledArmatureAreOfSizeOne) {
    JointSource source;
    source.scale = 0.01;
    const Affine world =
        joint_world(source, to_affine({{1, 2, 3}, turn(kX, 30), {0.01, 0.01, 0.01}}));
    EXPECT_NEAR(length(world.x), 1, 1e-12);
    EXPECT_EQ(world.o, (Vec3{1, 2, 3}));
}

// --------------------------------------------------------------------------------------- files

std::string two_joints(const std::string& root, const std::string& place) {
    return "HIERARCHY\nROOT " + root +
           "\n{\nOFFSET 0 0 0\nCHANNELS 3 Xposition Yposition Zposition\n" +
           "JOINT b\n{\nOFFSET 0 10 0\nCHANNELS 3 Xposition Yposition Zposition\n" +
           "End Site\n{\nOFFSET 0 1 0\n}\n}\n}\nMOTION\nFrames: 2\nFrame Time: 0.1\n0 0 0 " +
           place + "\n0 0 0 " + place + "\n";
}

TEST(DetailTest, NamesAreUtf8AndPlacesAreTakenByTheMiddle) {
    const std::string text = two_joints("\xED\xA0\x80x", "0 3 0");
    const auto odd = read_memory(Bytes(text.begin(), text.end()), "a.bvh", {});
    ASSERT_THAT(odd, IsOk());
    EXPECT_EQ(odd.value().scene.nodes[0].name.find('\xED'), std::string::npos);
    // Three tenths of the way are added to it; seven tenths stand in its place.
    for (const auto& [place, stands] : {std::pair{"0 3 0", 13.0}, {"0 7 0", 7.0}}) {
        const Scene scene = read_bvh(two_joints("a", place), "a.bvh").value().scene;
        EXPECT_NEAR(pose_at(scene, scene.timelines[0], 0).worlds[1].o.y, stands, 1e-9) << place;
    }
}

TEST(DetailTest, FramesEncloseKeysButForRounding) {
    EXPECT_EQ(whole_frames(0.0005, 9.9995).first, 0);
    EXPECT_EQ(whole_frames(0.0005, 9.9995).last, 10);
    EXPECT_EQ(whole_frames(0.9995, 9.0005).first, 1);
    EXPECT_EQ(whole_frames(0.9995, 9.0005).last, 9);
    EXPECT_EQ(whole_frames(0.5, 9.5).first, 0);
    EXPECT_EQ(whole_frames(0.5, 9.5).last, 10);
}

}  // namespace
}  // namespace mellow::basics_test
