// Motion carried over to other figures: what paper says of limbs, spines, heights and standing
// feet.
#include "mellow/retarget.h"

#include "bodies.h"
#include "mellow/write.h"

namespace mellow::retarget_test {
namespace {

using namespace test;
using namespace testing;

JointMatch matched(const Body& motion, const Body& figure) {
    auto match = match_figures(motion.skeleton, "motion", figure.skeleton, "figure");
    EXPECT_THAT(match, IsOk());
    return match ? std::move(match).value() : JointMatch{};
}

Carrier carrier(const Body& motion, const Body& figure, CarryOptions options = {}) {
    return Carrier::make(motion.skeleton, figure.skeleton, matched(motion, figure).map, options)
        .value();
}

/// Where a joint of a carried sample is.
Affine world(const Body& figure, const CarriedMotion& carried, int sample, const std::string& key) {
    const std::vector<Affine> worlds = laid_out(
        figure.skeleton, &carried.locals[static_cast<std::size_t>(sample) *
                                         static_cast<std::size_t>(figure.skeleton.size())]);
    return worlds[static_cast<std::size_t>(figure.joint(key))];
}
Vec3 place(const Body& figure, const CarriedMotion& carried, int sample, const std::string& key) {
    return world(figure, carried, sample, key).o;
}

constexpr CarryOptions kPlain{{}, 0, false, false};

/// Knees bend by `degrees` at most and back in a second: feet of equal bones stay below the hips.
std::vector<Transform> squat(const Body& body, double degrees, double thigh, double shin,
                             int samples = 31) {
    std::vector<Transform> out;
    for (int k = 0; k < samples; ++k) {
        const double a = degrees * (1 - std::cos(2 * std::numbers::pi * k / (samples - 1))) / 2;
        const double down = (thigh + shin) * (1 - std::cos(a * std::numbers::pi / 180));
        std::map<std::string, Quat> turns;
        for (const std::string side : {"left_", "right_"}) {
            turns[side + "thigh"] = turn(kX, -a);
            turns[side + "shin"] = turn(kX, a);
            turns[side + "foot"] = {};
        }
        const auto pose = posed(body, turns, {0, -down, 0});
        out.insert(out.end(), pose.begin(), pose.end());
    }
    return out;
}

TEST(MatchFiguresTest, EveryJointOfMadeUpBodiesIsFoundWhateverTheyAreCalled) {
    const Body motion = make_body({});
    int bodies = 0;
    for (const auto names : {BodyPlan::Names::kTrade, BodyPlan::Names::kNone})
        for (const int spine : {1, 2, 3, 5, 7})
            for (const unsigned seed : {3U, 11U})
                for (const bool bare : {false, true}) {
                    BodyPlan plan;
                    plan.names = names, plan.spine = spine, plan.shuffled = seed, plan.axes = seed;
                    plan.collars = plan.toes = !bare;
                    plan.twists = names == BodyPlan::Names::kTrade && seed == 3;
                    plan.thigh = 0.46, plan.shin = 0.41, plan.arms_down = 4 * spine;
                    const Body figure = make_body(plan);
                    const JointMatch match = matched(motion, figure);
                    ++bodies;
                    std::map<std::string, std::vector<std::string>> found;
                    for (const MapPair& pair : match.map.pairs) found[pair.key()] = pair.figure;
                    const auto where = testing::Message() << "body " << bodies;
                    for (const std::string& key : figure.keys) {
                        if (key.starts_with("spine") || key.ends_with("twist")) continue;
                        // What is a guess may be the other way round, as a whole.
                        std::string means = key;
                        if (!match.findings.empty() &&
                            found["left_thigh"][0] != figure.name("left_thigh"))
                            means = key.starts_with("left_")    ? "right_" + key.substr(5)
                                    : key.starts_with("right_") ? "left_" + key.substr(6)
                                                                : key;
                        EXPECT_THAT(found[means], ElementsAre(figure.name(key))) << where << key;
                    }
                    std::vector<std::string> trunk;
                    for (int s = 1; s <= spine; ++s)
                        trunk.push_back(figure.name("spine" + std::to_string(s)));
                    EXPECT_EQ(found["spine"], trunk) << where;
                    // Without names and without toes nothing tells left from right.
                    EXPECT_EQ(match.findings.size(),
                              bare && names == BodyPlan::Names::kNone ? 1 : 0)
                        << where << text_of(match.findings);
                }
    EXPECT_EQ(bodies, 40);
}

TEST(MatchFiguresTest, ArmsOfATwistedTrunkGoByTheirNamesOrAreAGuess) {
    for (const auto names : {BodyPlan::Names::kTrade, BodyPlan::Names::kNone})
        for (const double twist : {40.0, 80.0, 150.0}) {
            BodyPlan plan;
            plan.names = names;
            const Body figure = make_body(plan);
            std::vector<Joint> joints = figure.skeleton.joints();
            Joint& spine = joints[static_cast<std::size_t>(figure.joint("spine2"))];
            spine.rest.r = turn(kY, twist) * spine.rest.r;
            const JointRoles roles = find_roles(Skeleton::make(std::move(joints)).value(), "f");
            EXPECT_EQ(roles.joint(Role::kThigh, BodySide::kLeft), figure.joint("left_thigh"));
            const bool right =
                roles.joint(Role::kHand, BodySide::kLeft) == figure.joint("left_hand");
            const bool named = names == BodyPlan::Names::kTrade;
            // Nobody sees a trunk that is turned round without names.
            EXPECT_EQ(right, named || twist < 90) << twist;
            EXPECT_THAT(roles.findings, SizeIs(!named && twist == 80 ? 1 : 0)) << twist;
        }
}

TEST(MatchFiguresTest, NamesOfSidesAgainstTheFeetStop) {
    const Body right = make_body({});
    std::vector<Joint> joints = right.skeleton.joints();
    for (Joint& joint : joints)
        joint.name = joint.name.starts_with("left_")    ? "right_" + joint.name.substr(5)
                     : joint.name.starts_with("right_") ? "left_" + joint.name.substr(6)
                                                        : joint.name;
    const Skeleton swapped = Skeleton::make(std::move(joints)).value();
    EXPECT_THAT(match_figures(right.skeleton, "m", swapped, "f"),
                FailsWith(Code::kValueBad, "against toes and knees"));
}

TEST(MatchFiguresTest, TextOfAMapReadsBackAndMistakesAreAllTold) {
    BodyPlan five;
    five.spine = 5;
    const JointMatch match = matched(make_body({}), make_body(five));
    const auto again = parse_figure_map(figure_map_text(match, "a.bvh", "b.glb"), "m.toml");
    ASSERT_THAT(again, IsOk());
    ASSERT_EQ(again.value().pairs.size(), match.map.pairs.size());
    for (std::size_t i = 0; i < match.map.pairs.size(); ++i) {
        EXPECT_EQ(again.value().pairs[i].key(), match.map.pairs[i].key());
        EXPECT_EQ(again.value().pairs[i].figure, match.map.pairs[i].figure);
        EXPECT_EQ(again.value().pairs[i].motion, match.map.pairs[i].motion);
    }
    const auto wrong = parse_figure_map(R"([roles]
hip = { motion = "a", figure = "b" }
head = { motion = ["c", "d"], figure = "e" }
neck = { motion = "c", figure = "f" }
spine = { motion = "g" }
[turned]
e = [1, 2]
[others]
lamp = { motion = "h", figure = "i", told = "k" }
)",
                                        "m.toml");
    std::vector<std::string> said;
    for (const Finding& f : wrong.failures())
        said.push_back(f.where.text() + ": " + f.found + "; " + f.expected);
    EXPECT_THAT(said, UnorderedElementsAre(
                          HasSubstr("did you mean \"hips\"?"), HasSubstr("2 joints; one joint"),
                          HasSubstr("\"c\" for the second time"), HasSubstr("no joint; a name"),
                          HasSubstr("2 numbers; three angles"), HasSubstr("unknown key \"told\"")));
}

TEST(CarryTest, TheSameBodyScaledRenamedAndWithOtherAxesDoesTheSame) {
    const Body motion = make_body({});
    BodyPlan plan;
    plan.size = 0.5, plan.axes = 5, plan.shuffled = 9, plan.names = BodyPlan::Names::kTrade;
    const Body figure = make_body(plan);
    std::map<std::string, Quat> turns;
    double angle = 7;
    for (const std::string& key : motion.keys) {
        turns[key] = turn(normalized({angle, 20 - angle, 3}, kX), angle);
        angle += 5.3;
    }
    const std::vector<Transform> pose = posed(motion, turns, {0.3, 0.1, -0.7});
    const CarriedMotion carried = carrier(motion, figure, kPlain).carry(pose, 1, 0.1);
    const std::vector<Affine> wanted = laid_out(motion.skeleton, pose.data());
    // Its ankles are its lowest: their height is the ground's, and every place half as high.
    const double stands =
        std::min(wanted[static_cast<std::size_t>(motion.joint("left_foot"))].o.y,
                 wanted[static_cast<std::size_t>(motion.joint("right_foot"))].o.y);
    for (const std::string& key : motion.keys) {
        const Vec3 from = wanted[static_cast<std::size_t>(motion.joint(key))].o;
        const Vec3 expected{from.x / 2, 0.05 + (from.y - stands) / 2, from.z / 2};
        EXPECT_LT(length(place(figure, carried, 0, key) - expected), 1e-9) << key;
        const Quat since =
            rotation_of(world(figure, carried, 0, key)) *
            conjugate(rotation_of(
                figure.skeleton.rest_worlds()[static_cast<std::size_t>(figure.joint(key))]));
        EXPECT_LT(test::angle(since, turns[key]), 1e-6) << key;
    }
}

TEST(CarryTest, ArmsAreLaidIntoTheRestDirectionsOfTheMotionFirst) {
    // An arm that rests level is lifted by a quarter turn: it points up. So does one that rests 45
    // degrees down, which turns by 135 for that.
    const Body motion = make_body({});
    BodyPlan plan;
    plan.arms_down = 45, plan.axes = 21;
    const Body figure = make_body(plan);
    const std::map<std::string, Quat> up{{"left_upper_arm", turn(kZ, 90)}};
    const CarriedMotion carried = carrier(motion, figure, kPlain).carry(posed(motion, up), 1, 0.1);
    const Vec3 bone =
        place(figure, carried, 0, "left_forearm") - place(figure, carried, 0, "left_upper_arm");
    EXPECT_LT(length(bone - Vec3{0, 0.29, 0}), 1e-9);
    const Quat rest = rotation_of(
        figure.skeleton.rest_worlds()[static_cast<std::size_t>(figure.joint("left_upper_arm"))]);
    EXPECT_NEAR(test::angle(rotation_of(world(figure, carried, 0, "left_upper_arm")), rest), 135,
                1e-6);
}

TEST(CarryTest, WhatHangsOnAHandByItsNameIsLaidAsTheHandIs) {
    BodyPlan level, down;
    level.gloves = down.gloves = true;
    down.arms_down = 45, down.axes = 31;
    const Body motion = make_body(level), figure = make_body(down);
    const Quat up = turn(kZ, 90), bent = turn(kZ, 120);
    const CarriedMotion carried =
        carrier(motion, figure, kPlain)
            .carry(posed(motion, {{"left_upper_arm", up}, {"left_glove", bent}}), 1, 0.1);
    const auto since = [&](const char* key) {
        const auto j = static_cast<std::size_t>(figure.joint(key));
        return rotation_of(world(figure, carried, 0, key)) *
               conjugate(rotation_of(figure.skeleton.rest_worlds()[j]));
    };
    EXPECT_NEAR(test::angle(since("left_hand"), {}), 135, 1e-6);
    EXPECT_NEAR(test::angle(since("left_glove"), since("left_hand")), 30, 1e-6);
    EXPECT_NEAR(test::angle(since("right_glove"), {}), 45, 1e-6);
}

TEST(CarryTest, SpinesBendByTheShareOfTheirLength) {
    // Four bones to where the neck begins, the hips' own among them: middles at 1/8, 3/8, 5/8, 7/8
    // were they equal; lengths here are 0.225 0.225 0.12 for two joints above the hips, 0.1125 four
    // times and 0.12 for four.
    BodyPlan two, four;
    two.spine = 2, four.spine = 4;
    const Body motion = make_body(two), figure = make_body(four);
    const std::map<std::string, Quat> bent{
        {"hips", {}}, {"spine1", turn(kX, 20)}, {"spine2", turn(kX, 50)}, {"neck", turn(kX, 50)}};
    const CarriedMotion carried =
        carrier(motion, figure, kPlain).carry(posed(motion, bent), 1, 0.1);
    const std::vector<double> from{0.1125, 0.3375, 0.51}, turned{0, 20, 50};
    const std::vector<double> to{0.05625, 0.16875, 0.28125, 0.39375, 0.51};
    for (int s = 0; s < 5; ++s) {
        const double m = to[static_cast<std::size_t>(s)];
        const double expected = m <= from[0]   ? 0
                                : m <= from[1] ? 20 * (m - from[0]) / (from[1] - from[0])
                                               : 20 + 30 * (m - from[1]) / (from[2] - from[1]);
        const std::string key = s == 0 ? "hips" : "spine" + std::to_string(s);
        EXPECT_NEAR(test::angle(rotation_of(world(figure, carried, 0, key)), {}), expected, 1e-6)
            << key;
    }
}

TEST(CarryTest, HeightsAndWaysGoByTheRatioOfLegs) {
    BodyPlan longer;
    longer.thigh = 0.65, longer.shin = 0.6, longer.ankle = 0.08;
    const Body motion = make_body({}), figure = make_body(longer);
    std::vector<Transform> locals = posed(motion, {}), step = posed(motion, {}, {0, 0.2, 1});
    locals.insert(locals.end(), step.begin(), step.end());
    const CarriedMotion carried = carrier(motion, figure, kPlain).carry(locals, 2, 0.1);
    EXPECT_NEAR(carried.report.ratio, 1.25, 1e-12);
    EXPECT_NEAR(place(figure, carried, 0, "left_foot").y, 0.08, 1e-9);
    EXPECT_NEAR(place(figure, carried, 1, "left_thigh").y, 0.08 + 1.25 + 1.25 * 0.2, 1e-9);
    EXPECT_NEAR(place(figure, carried, 1, "left_thigh").z, 1.25, 1e-9);
    CarryOptions half = kPlain;
    half.travel_ratio = 0.5, half.ground_m = -0.3;
    const CarriedMotion other = carrier(motion, figure, half).carry(locals, 2, 0.1);
    EXPECT_NEAR(place(figure, other, 1, "left_thigh").z, 0.5, 1e-9);
}

TEST(CarryTest, StandingFeetOfOtherThighsAndShinsStandStill) {
    BodyPlan other;
    other.thigh = 0.6, other.shin = 0.4, other.axes = 13;
    const Body motion = make_body({}), figure = make_body(other);
    const std::vector<Transform> locals = squat(motion, 30, 0.5, 0.5);
    // A thigh at 30 degrees and a shin at -30: 0.2 sin 30 = 0.1 m ahead of where it stood.
    const CarriedMotion slides = carrier(motion, figure, kPlain).carry(locals, 31, 1.0 / 30);
    EXPECT_NEAR(place(figure, slides, 15, "left_foot").z - place(figure, slides, 0, "left_foot").z,
                0.1, 1e-9);
    const CarriedMotion stands = carrier(motion, figure).carry(locals, 31, 1.0 / 30);
    EXPECT_TRUE(stands.report.closed);
    EXPECT_EQ(stands.report.contacts, 2);
    EXPECT_GT(stands.report.lowered_mean_mm, 0);
    EXPECT_LT(stands.report.lowered_mean_mm, stands.report.lowered_mm);
    EXPECT_EQ(stands.report.out_of_reach, 0);
    EXPECT_LT(stands.report.lowered_mm, 30);
    for (int k = 0; k <= 30; ++k)
        for (const std::string side : {"left_", "right_"}) {
            const auto at = [&](const char* joint) {
                return place(figure, stands, k, side + joint);
            };
            EXPECT_LT(length(at("toe") - place(figure, stands, 0, side + "toe")), 1e-4) << k;
            EXPECT_NEAR(at("toe").y, 0.03, 1e-4) << k;
            EXPECT_NEAR(length(at("shin") - at("thigh")), 0.6, 1e-9) << k;
            EXPECT_NEAR(length(at("foot") - at("shin")), 0.4, 1e-9) << k;
            EXPECT_GT(at("shin").z, at("thigh").z - 1e-6) << "knees bend ahead, sample " << k;
        }
    // A round stays one.
    for (const std::string& key : figure.keys)
        EXPECT_LT(length(place(figure, stands, 0, key) - place(figure, stands, 30, key)), 1e-6);
}

TEST(CarryTest, AClipInPlaceKeepsItsBelt) {
    // Feet go back by a metre a second below hips that stay: one at a time is the lower one.
    const Body motion = make_body({});
    BodyPlan longer;
    longer.thigh = 0.6, longer.shin = 0.6;
    const Body figure = make_body(longer);
    std::vector<Transform> locals;
    for (int k = 0; k < 40; ++k) {
        std::map<std::string, Quat> turns;
        for (const double side : {0.0, 0.5}) {
            const std::string of = side == 0 ? "left_" : "right_";
            const double u = std::fmod(k / 20.0 + side, 1.0);
            // Legs swing stiffly; the one that comes ahead is bent.
            const double z = u < 0.5 ? 0.25 - u : (u - 0.5) - 0.25;
            const double a = std::asin(z) * 180 / std::numbers::pi;
            turns[of + "thigh"] = turn(kX, -a - (u < 0.5 ? 0 : 30));
            turns[of + "shin"] = turn(kX, -a + (u < 0.5 ? 0 : 30));
            turns[of + "foot"] = {};
        }
        const auto pose = posed(motion, turns);
        locals.insert(locals.end(), pose.begin(), pose.end());
    }
    const CarriedMotion carried = carrier(motion, figure).carry(locals, 40, 1.0 / 20);
    ASSERT_TRUE(carried.report.belt);
    EXPECT_NEAR(carried.report.belt->z, -1, 0.02);
    EXPECT_GT(carried.report.contacts, 2);
    for (const int k : {0, 17, 39})
        EXPECT_LT(std::abs(place(figure, carried, k, "hips").z), 0.06) << k;
}

TEST(CarryTest, HandsThatMeetMeet) {
    const Body motion = make_body({});
    BodyPlan wide;
    wide.arms_down = 30, wide.collars = false, wide.axes = 2;
    const Body figure = make_body(wide);
    // Upper arms ahead and forearms inwards until the hands touch: 0.34 apart, each forearm 0.25.
    const double in = std::asin(0.17 / 0.25) * 180 / std::numbers::pi;
    std::map<std::string, Quat> turns;
    for (const double side : {1.0, -1.0}) {
        const std::string of = side > 0 ? "left_" : "right_";
        turns[of + "upper_arm"] = turn(kY, -side * 90);
        turns[of + "forearm"] = turn(kY, -side * (90 + in));
    }
    const std::vector<Transform> pose = posed(motion, turns);
    const auto worlds = laid_out(motion.skeleton, pose.data());
    const auto its = [&](const char* key) {
        return worlds[static_cast<std::size_t>(motion.joint(key))].o;
    };
    ASSERT_LT(length(its("left_hand") - its("right_hand")), 1e-9);
    const CarriedMotion carried = carrier(motion, figure).carry(pose, 1, 0.1);
    EXPECT_LT(
        length(place(figure, carried, 0, "left_hand") - place(figure, carried, 0, "right_hand")),
        1e-3);
}

TEST(CarryTest, MapsThatDoNotFitAreRefused) {
    const Body body = make_body({});
    FigureMap map = matched(body, body).map;
    const auto made = [&] { return Carrier::make(body.skeleton, body.skeleton, map, {}); };
    map.pairs[0].figure = {"hpis"};
    EXPECT_THAT(made(), FailsWith(Code::kNameUnknown, "\"hpis\""));
    map = matched(body, body).map;
    std::erase_if(map.pairs, [](const MapPair& p) { return p.role == Role::kShin; });
    EXPECT_THAT(made(), FailsWith(Code::kSkeletonDiffers, "no pair for left_shin"));
    std::erase_if(map.pairs, [](const MapPair& p) { return p.role == Role::kHips; });
    EXPECT_THAT(made(), FailsWith(Code::kSkeletonDiffers, "no pair for hips"));
    map = matched(body, body).map;
    map.held = {"neck"};
    map.turned = {{"neck", {0, 0, 90}}};
    EXPECT_THAT(made(), FailsWith(Code::kValueBad, "\"neck\", which no pair moves"));
    map.held = {"head"};
    map.turned = {{"left_hand", {30, 50, 90}}};
    const auto moved = posed(body, {{"head", turn(kY, 40)}});
    const CarriedMotion carried =
        Carrier::make(body.skeleton, body.skeleton, map, kPlain).value().carry(moved, 1, 0.1);
    EXPECT_LT(test::angle(rotation_of(world(body, carried, 0, "head")), {}), 1e-6);
    EXPECT_LT(test::angle(rotation_of(world(body, carried, 0, "left_hand")),
                          turn(kZ, 90) * turn(kY, 50) * turn(kX, 30)),
              1e-6);
}

TEST(CarryTest, EqualBonesByAMapAreTheVerySameClip) {
    // The same file twice: by its names, and by a map after all its joints were renamed.
    TempFolder folder;
    const auto path = [&](const char* name) { return (folder / name).string(); };
    ASSERT_EQ(run_tool("demo " + path("d") + " --data-only --quiet").exit, 0);
    Scene other = read_scene(folder / "d/motions/climbing/climb_1.glb").value().scene;
    for (Node& node : other.nodes)
        if (node.mesh == kNone) node.name = "yard:" + node.name.substr(6);  // of "mixed_hips"
    write_bytes(folder / "d/other.glb", write_glb(other));
    ASSERT_EQ(run_tool("match " + path("d/other.glb") + " " + path("d/tamsin.glb") +
                       " --unit cm --up +Z --front -Y --quiet -o " + path("d/other.map.toml"))
                  .exit,
              0);
    const auto packed = [&](const std::string& source, const std::string& to) {
        write_text(
            folder / "d/one.recipe.toml",
            "[figure]\nfile = \"tamsin.glb\"\nstrip_prefix = \"orchard:\"\nunit = \"cm\"\n"
            "up = \"+Z\"\nfront = \"-Y\"\nrate = 24\n[[source]]\nname = \"s\"\n" +
                source +
                "\n[rename]\n\"mixed_*\" = \"*\"\n\"orchard:*\" = \"*\"\n[output]\nfolder = \"" +
                to + "\"\n[[clips]]\nsource = \"s\"\nname = \"clip\"\n");
        const ToolRun run = run_tool("pack " + path("d/one.recipe.toml"));
        EXPECT_EQ(run.exit, 0) << run.out << run.err;
        return read_text(folder / ("d/" + to + "/clips/clip.glb"));
    };
    const std::string own = packed("file = \"motions/climbing/climb_1.glb\"", "own");
    EXPECT_FALSE(own.empty());
    EXPECT_TRUE(packed("file = \"other.glb\"\nmap = \"other.map.toml\"", "by_map") == own);
}

}  // namespace
}  // namespace mellow::retarget_test
