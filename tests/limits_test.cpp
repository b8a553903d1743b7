// Bounds: what is too large, too long or too many is refused before it takes memory or time.
#include "mellow/write.h"
#include "rigs.h"
#include "small_figure.h"

namespace mellow::limits_test {
namespace {

using namespace test;
using namespace testing;

class LimitsTest : public test::SmallFigure {};

TEST_F(LimitsTest, JointsTimesSamplesAreBounded) {
    Scene scene;
    scene.rate = {24, 1};
    for (int n = 0; n < 100; ++n)
        test::add_node(scene, "j" + std::to_string(n), n - 1, {{0, 0.02, 0}, {}, {1, 1, 1}});
    scene.roots = {0};
    test::key_turn(scene, 0, {}, test::turn(test::kX, 30));
    scene.timelines[0].name = "move";
    write_bytes(folder_ / "figure.glb", write_glb(scene));
    // 100 joints and the root times 25 samples are 2525: 80 times 31 is less, 80 times 32 more.
    const auto with = [&](int most) {
        return pack_text(
            folder_,
            recipe("range = [0, 24]\n", fmt::format("most_samples = {}\n", most), "rate = 24\n"),
            true);
    };
    EXPECT_THAT(with(31), FailsWith(Code::kLimit, "most_samples = "));
    EXPECT_THAT(with(32), IsOk());
}

TEST_F(LimitsTest, SamplesOfAClipAreBoundedByTheTarget) {
    write_bytes(folder_ / "figure.glb", figure({{0, "translation", {0, 2}, {0, 1, 0, 0, 1.5, 0}}}));
    const std::string clip = "range = [0, 24]\n";
    EXPECT_THAT(pack_text(folder_, recipe(clip, "most_samples = 24\n", "rate = 24\n")),
                FailsWith(Code::kLimit, "25 samples"));
    EXPECT_THAT(pack_text(folder_, recipe(clip, "most_samples = 25\n", "rate = 24\n")), IsOk());
}

TEST_F(LimitsTest, SizesAndLengthsAreBounded) {
    const auto long_one = Keyed{0, "translation", {0, 1e6}, {0, 1, 0, 0, 1, 1}};
    write_bytes(folder_ / "figure.glb", figure({long_one}));
    EXPECT_THAT(pack_text(folder_, recipe("range = [0, 24000000]\n", "", "rate = 24\n")),
                FailsWith(Code::kLimit, "most_samples = 24000001"));
    EXPECT_THAT(parse_recipe(std::string(100, 'a') + "." +
                                 "a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a."
                                 "a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a.a = 1",
                             "r.toml", "."),
                FailsWith(Code::kLimit, "r.toml:1"));
    EXPECT_THAT(
        parse_recipe("x = \"a.b.c.d.e.f.g.h.i.j.k.l.m.n.o.p.q.r.s.t.u.v.w.x.y.z.a.b.c.d.e.f.g.h\"",
                     "r.toml", "."),
        Not(FailsWith(Code::kLimit, "")));
    Scene wheel;
    test::add_node(wheel, "w", kNone, {});
    test::key(wheel, 0, Path::kTranslation, {0, 0, 0}, {0, 0, 1}, 2);
    Performance longer;
    longer.timeline = 0;
    longer.most_walk_s = 1;
    EXPECT_THAT(Rig::bind(wheel, longer,
                          test::sheet("[[rule]]\nkind = \"roll\"\nnode = \"w\"\naxis = \"+X\"\n"
                                      "up = \"+Y\"\nradius = 1\n")),
                Not(FailsWith(Code::kLimit, "")))
        << "without a part that is played";
    longer.played = Played{0, 2, false};
    EXPECT_THAT(Rig::bind(wheel, longer,
                          test::sheet("[[rule]]\nkind = \"roll\"\nnode = \"w\"\naxis = \"+X\"\n"
                                      "up = \"+Y\"\nradius = 1\n")),
                FailsWith(Code::kLimit, "most_walk_seconds = 2"));
    const auto huge = keyed(0, "translation", 24, [](int f) { return Three{0, 1e3, 0.01 * f}; });
    const PackReport giant = pack({huge}, recipe("range = [0, 24]\n", "", "unit = 100\n"));
    EXPECT_FALSE(giant.proven);
    EXPECT_THAT(of_code(giant, Code::kSizeSuspect), Not(IsEmpty()));
}

TEST_F(LimitsTest, MistypedAndHostileKeysAreNamed) {
    const auto parsed = [](const std::string& more, const std::string& source = "") {
        return parse_recipe(recipe("range = [0, 24]\n", more, source), "r.toml", ".");
    };
    for (const char* value : {"0", "-1", "1.5", "1e308", "nan"})
        EXPECT_THAT(parsed(fmt::format("most_samples = {}\n", value)),
                    FailsWith(Code::kValueBad, "most_samples"));
    EXPECT_THAT(parsed("", "plces = \"added\"\n"), FailsWith(Code::kKeyUnknown, "\"places\""));
    EXPECT_THAT(parsed("", "frames = \"some\"\n"), FailsWith(Code::kValueBad, "declared"));
    for (const char* list : {"camera", "arrangement", "layer", "clips", "timelines", "cue", "cues"})
        for (const char* value : {"[{}, 3]", "3"}) {
            const auto read = parse_recipe(
                fmt::format("{} = {}\n", list, value) + recipe("range = [0, 24]\n"), "r.toml", ".");
            ASSERT_FALSE(read.ok()) << list;
            EXPECT_THAT(test::text_of(read.failures()),
                        HasSubstr(fmt::format("[[{}]] tables", list)))
                << value;
        }
    EXPECT_THAT(parsed("[rename]\n\"*_a_*\" = \"*_b_*\"\n"), FailsWith(Code::kValueBad, "one *"));
    EXPECT_THAT(parsed("[rename]\n\"a_*\" = \"b\"\n"), FailsWith(Code::kValueBad, "one *"));
    EXPECT_THAT(parsed("[rename]\n\"a_*\" = \"b_*\"\n"), IsOk());
    EXPECT_THAT(parsed("[checks]\nloop-opne = \"off\"\n"),
                FailsWith(Code::kKeyUnknown, "loop-open"));
    EXPECT_THAT(parsed("[checks]\nloop-open = \"fial\"\n"), FailsWith(Code::kValueBad, "\"fail\""));
    EXPECT_THAT(parsed("[checks]\nproof-failed = \"off\"\n"),
                FailsWith(Code::kKeyUnknown, "proof-failed"));
}

TEST_F(LimitsTest, NamesThatNoSystemTakesAndLinksThatLeadAway) {
    write_bytes(folder_ / "figure.glb", figure({going(24, 0.1)}));
    for (const char* name : {"con", "NUL.x", "lpt1", "walk."})
        EXPECT_THAT(pack_text(folder_, test::change(recipe("range = [0, 24]\n"), "name = \"c\"",
                                                    fmt::format("name = \"{}\"", name))),
                    FailsWith(Code::kValueBad, name));
    const TempFolder elsewhere;
    write_text(elsewhere / "secret.bin", "12345678");
    std::filesystem::create_symlink(elsewhere / "secret.bin", folder_ / "data.bin");
    write_text(
        folder_ / "linked.gltf",
        R"({"asset":{"version":"2.0"},"buffers":[{"uri":"data.bin","byteLength":8}],"nodes":[{"name":"n"}]})");
    EXPECT_THAT(read_scene(folder_ / "linked.gltf"), FailsWith(Code::kFileUnreadable, "leads out"));
    ::mkfifo((folder_ / "pipe.glb").c_str(), 0600);
    EXPECT_THAT(read_scene(folder_ / "pipe.glb"), FailsWith(Code::kFileUnreadable, "regular"));
}

}  // namespace
}  // namespace mellow::limits_test
