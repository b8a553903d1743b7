// All 48 conventions: what a scene becomes, against plain 4x4 arithmetic; files that say what they
// are in; and that a mirror taken twice leaves no trace.
#include <fmt/format.h>

#include <cmath>

#include "base/at.h"
#include "crate/clip_json.h"
#include "mellow/pose.h"
#include "mellow/write.h"
#include "rigs.h"
#include "told.h"

namespace mellow::convention_test {
namespace {

using namespace test;
using testing::HasSubstr;

using Matrix = std::array<std::array<double, 4>, 4>;  // [row][column]

Matrix times(const Matrix& a, const Matrix& b) {
    Matrix out{};
    for (std::size_t r = 0; r < 4; ++r)
        for (std::size_t c = 0; c < 4; ++c)
            for (std::size_t k = 0; k < 4; ++k) out[r][c] += a[r][k] * b[k][c];
    return out;
}

Matrix matrix(const Affine& m) {
    return {{{m.x.x, m.y.x, m.z.x, m.o.x},
             {m.x.y, m.y.y, m.z.y, m.o.y},
             {m.x.z, m.y.z, m.z.z, m.o.z},
             {0, 0, 0, 1}}};
}

/// From inside to the file: columns are where the axes go, over the unit.
Matrix outwards(const Told& told) {
    Matrix m{};
    for (std::size_t c = 0; c < 3; ++c) {
        std::array<double, 3> axis{};
        axis[c] = 1;
        const auto to = file_vector(told, axis);
        for (std::size_t r = 0; r < 3; ++r) m[r][c] = to[r] / told.unit;
    }
    m[3][3] = 1;
    return m;
}

/// Its inverse: the axes are a signed permutation.
Matrix inwards(const Told& told) {
    const Matrix out = outwards(told);
    Matrix m{};
    for (std::size_t r = 0; r < 3; ++r)
        for (std::size_t c = 0; c < 3; ++c) m[r][c] = out[c][r] * told.unit * told.unit;
    m[3][3] = 1;
    return m;
}

double apart(const Matrix& a, const Matrix& b) {
    double worst = 0;
    for (std::size_t r = 0; r < 4; ++r)
        for (std::size_t c = 0; c < 4; ++c) worst = std::max(worst, std::abs(a[r][c] - b[r][c]));
    return worst;
}

Float3 single(const std::array<double, 3>& v) {
    return {static_cast<float>(v[0]), static_cast<float>(v[1]), static_cast<float>(v[2])};
}

/// A skinned bracket on two turning joints, with tangents and a morph target; a scaled prop; and a
/// camera on a joint that turns.
Scene bracket() {
    Scene scene;
    scene.rate = {24, 1}, scene.rate_known = true;
    const int hip =
        add_node(scene, "hip", kNone, {{0.3, 1, -0.2}, turn({0.6, 0, 0.8}, 40), {1, 1, 1}});
    const int knee =
        add_node(scene, "knee", hip, {{0.1, -0.5, 0.2}, turn({0, 0.6, 0.8}, 25), {1, 1, 1}});
    add_node(scene, "prop", knee, {{0.2, 0.1, 0.4}, turn({0.8, 0.6, 0}, 70), {1, 2, 3}});
    const int mesh = add_node(scene, "bracket", kNone, {});
    key(scene, hip, Path::kTranslation, {0.3, 1, -0.2}, {1.3, 1.5, 2});
    key_turn(scene, hip, turn({0.6, 0, 0.8}, 40), turn({0.6, 0, 0.8}, 100));
    key_turn(scene, knee, turn({0, 0.6, 0.8}, 25), turn({0.6, 0.8, 0}, 80));
    scene.timelines[0].name = "bend";
    Primitive part;
    part.positions = {{0, 0, 0}, {1, 0, 0.1F}, {0.2F, 1, 0}, {0.1F, 0.2F, 1}};
    part.normals = {{0, 0, 1}, {1, 0, 0}, {0, 0.6F, 0.8F}, {0, 1, 0}};
    part.tangents = {{1, 0, 0, 1}, {0, 1, 0, -1}, {1, 0, 0, 1}, {0, 0, 1, 1}};
    part.indices = {0, 1, 2, 0, 2, 3};
    part.influences_per_vertex = 4;
    for (std::uint16_t v = 0; v < 4; ++v) {
        part.influence_joints.insert(part.influence_joints.end(), {0, 1, 0, 0});
        part.influence_weights.insert(part.influence_weights.end(), {0.75F, 0.25F, 0, 0});
    }
    part.targets.push_back({{{0.1F, 0.2F, 0.3F}, {}, {}, {}}, {}, {}, {}});
    scene.meshes.push_back({"bracket", {part}, {"wide"}, {0}, {}, {}});
    scene.nodes[at(mesh)].mesh = 0, scene.nodes[at(mesh)].skin = 0;
    const std::vector<Affine> rest = rest_worlds(scene);
    scene.skins.push_back(
        {"skin", {hip, knee}, {inverse(rest[0]), inverse(rest[1])}, kNone, {}, {}});
    scene.cameras = {R"({"type":"perspective","perspective":{"yfov":0.8,"znear":0.1}})"};
    scene.nodes[at(knee)].camera = 0;
    return scene;
}

/// Where a camera is, looks and has its up, in the coordinates of the scene.
std::array<Vec3, 3> view_of(const Scene& scene, double seconds) {
    const Pose pose = pose_at(scene, scene.timelines[0], seconds);
    for (std::size_t n = 0; n < scene.nodes.size(); ++n)
        if (scene.nodes[n].camera != kNone) {
            const Affine& w = pose.worlds[n];
            return {w.o, -w.z, w.y};
        }
    return {};
}

TEST(HandTest, EveryConventionIsPlainArithmetic) {
    const Scene inside = bracket();
    for (const Told& told : all_conventions()) {
        SCOPED_TRACE(to_text(convention_of(told)));
        Scene scene = inside;
        convert(scene, convention_of(told));
        const Matrix out = outwards(told), in = inwards(told);
        const auto there = [&](Vec3 v, bool point) {
            const auto f = file_vector(told, {v.x, v.y, v.z});
            const double k = point ? 1 / told.unit : 1;
            return Vec3{f[0] * k, f[1] * k, f[2] * k};
        };
        for (const double t : {0.0, 0.4, 0.9}) {
            const Pose was = pose_at(inside, inside.timelines[0], t),
                       is = pose_at(scene, scene.timelines[0], t);
            for (std::size_t n = 0; n < inside.nodes.size(); ++n)
                EXPECT_LT(apart(matrix(is.worlds[n]), times(times(out, matrix(was.worlds[n])), in)),
                          2e-7 * std::max(1.0, 1 / told.unit))
                    << inside.nodes[n].name << " " << t;
            const auto saw = view_of(inside, t), sees = view_of(scene, t);
            for (std::size_t i = 0; i < 3; ++i)
                EXPECT_LT(length(sees[i] - there(saw[i], i == 0)), 1e-6 / std::min(1.0, told.unit));
        }
        const Primitive &a = inside.meshes[0].primitives[0], &b = scene.meshes[0].primitives[0];
        EXPECT_EQ(b.positions[3],
                  single(file_vector(told, {0.1F / told.unit, 0.2F / told.unit, 1 / told.unit})));
        EXPECT_EQ(b.normals[2], single(file_vector(told, {0, 0.6F, 0.8F})));
        EXPECT_EQ(b.tangents[1][3], told.hand == 1 ? -1 : 1);
        EXPECT_EQ(
            b.targets[0].positions[0],
            single(file_vector(told, {0.1F / told.unit, 0.2F / told.unit, 0.3F / told.unit})));
        const Affine bind = scene.skins[0].inverse_binds[1];
        EXPECT_LT(
            apart(matrix(bind), times(times(out, matrix(inside.skins[0].inverse_binds[1])), in)),
            1e-9 * std::max(1.0, 1 / told.unit));
        // The product of two sides points out of the front, as normals do, in either hand's axes.
        for (std::size_t i = 0; i < 6; i += 3) {
            const auto facing = [&](const Primitive& p) {
                const Vec3 o = as_vec(p.positions[p.indices[i]]),
                           x = as_vec(p.positions[p.indices[i + 1]]) - o,
                           y = as_vec(p.positions[p.indices[i + 2]]) - o;
                return normalized(cross(x, y), {});
            };
            EXPECT_LT(length(facing(b) - there(facing(a), false)), 1e-5);
        }
    }
}

TEST(HandTest, MovementArrivesWhereTheConventionSays) {
    // A figure that walks ahead, drifts to its left and rises: by name, with no arithmetic.
    struct Case {
        Convention convention;
        Vec3 ahead, left;
    };
    const Case cases[] = {
        {{1, Axis::kPlusY, Axis::kPlusZ, Hand::kRight}, {0, 0, 1}, {1, 0, 0}},
        {{1, Axis::kPlusY, Axis::kPlusZ, Hand::kLeft}, {0, 0, 1}, {-1, 0, 0}},
        {{1, Axis::kPlusZ, Axis::kPlusX, Hand::kLeft}, {1, 0, 0}, {0, -1, 0}},
        {{1, Axis::kPlusZ, Axis::kMinusY, Hand::kRight}, {0, -1, 0}, {1, 0, 0}},
        {{1, Axis::kPlusZ, Axis::kPlusY, Hand::kLeft}, {0, 1, 0}, {1, 0, 0}},
    };
    for (const Case& c : cases) {
        const Conversion out({}, c.convention);
        EXPECT_TRUE(out.point({0, 0, 1}) == c.ahead) << to_text(c.convention);
        EXPECT_TRUE(out.point({1, 0, 0}) == c.left) << to_text(c.convention);
        EXPECT_TRUE(out.point({0, 1, 0}) == direction(c.convention.up));
        // Turning to the left takes ahead to left, whatever the hand, by the quaternion's algebra.
        const Quat left_turn = out.rotation(turn({0, 1, 0}, 90));
        EXPECT_LT(length(rotate(left_turn, c.ahead) - c.left), 1e-12) << to_text(c.convention);
    }
}

TEST(HandTest, StepsTurnToTheSameSideForEveryGame) {
    // A figure that goes ahead and turns to its left, by 30 degrees a loop. Right hands count that
    // as 30, left hands as -30, as their quaternions do; ahead is +X of this game.
    Clip clip;
    clip.rate = {30, 1};
    clip.samples = clip.period = 3;
    clip.loop = LoopForm::kOpen;
    clip.travel.ground = clip.travel.heading = true;
    clip.travel.step = {0.5, 0, 1};  // left is +X where ahead is +Z
    clip.travel.step_heading_rad = clip.travel.heading_change_rad = std::acos(-1) / 6;
    for (const auto& [hand, sign] : {std::pair(Hand::kRight, 1), std::pair(Hand::kLeft, -1)}) {
        const Convention game{0.01, Axis::kPlusZ, Axis::kPlusX, hand};
        const std::string facts = clip_extras(clip, Conversion({}, game));
        EXPECT_THAT(facts, HasSubstr(fmt::format("\"step_heading_degrees\":{}", sign * 30)));
        EXPECT_THAT(facts, HasSubstr(fmt::format("\"heading_change_degrees\":{}", sign * 30)));
        EXPECT_THAT(facts, HasSubstr(fmt::format("\"step\":[100.0,{}.0,0.0]", sign * 50)));
        JsonMembers read(Bytes(facts.begin(), facts.end()));
        const ClipInfo back = clip_from_facts(read, Conversion(game, {}));
        EXPECT_NEAR(back.travel.step_heading_rad, clip.travel.step_heading_rad, 1e-9);
        EXPECT_LT(length(back.travel.step - clip.travel.step), 1e-9);
    }
}

TEST(HandTest, AMirrorTwiceGivesTheSameBytes) {
    for (const int mode : {4, 5, 6})
        for (const bool indexed : {true, false}) {
            Scene scene = bracket();
            Primitive& part = scene.meshes[0].primitives[0];
            part.topology = static_cast<Topology>(mode);
            if (!indexed && mode == 4)
                part.positions.resize(3), part.normals.resize(3), part.tangents.resize(3),
                    part.influence_joints.resize(12), part.influence_weights.resize(12),
                    part.targets[0].positions.resize(3);
            part.indices = indexed ? std::vector<std::uint32_t>{0, 1, 2, 3, 1, 0}
                                   : std::vector<std::uint32_t>{};
            const auto triangles = triangles_of(part);
            scene.nodes[1].camera = kNone;
            const auto before = write_glb(scene);
            const Convention left{1, Axis::kPlusY, Axis::kPlusZ, Hand::kLeft};
            convert(scene, left);
            const auto corners = [](const Primitive& p) {
                double volume = 0;  // of the pyramids to the origin: changes sign when turned over
                const auto list = triangles_of(p);
                for (std::size_t i = 0; i + 2 < list.size(); i += 3)
                    volume += dot(
                        as_vec(p.positions[list[i]]),
                        cross(as_vec(p.positions[list[i + 1]]), as_vec(p.positions[list[i + 2]])));
                return volume;
            };
            const double mirrored = corners(scene.meshes[0].primitives[0]);
            to_inside(scene);
            EXPECT_EQ(write_glb(scene), before) << mode << indexed;
            // Mirrored places with triangles turned over enclose the same signed volume.
            EXPECT_NEAR(mirrored, corners(scene.meshes[0].primitives[0]), 1e-6) << mode << indexed;
            EXPECT_EQ(triangles_of(scene.meshes[0].primitives[0]), triangles);
        }
}

/// Read back in whatever convention the file says, and taken inside.
Scene back(const WrittenScene& written) {
    auto read = read_memory(Bytes(written.files[0].bytes.begin(), written.files[0].bytes.end()),
                            written.files[0].name, [](const std::string&) -> Result<Bytes> {
                                return Finding{Code::kFileMissing, Severity::kStop, "", "", "", ""};
                            });
    EXPECT_THAT(read, IsOk());
    if (!read) return {};
    Scene scene = std::move(read.value().scene);
    to_inside(scene);
    return scene;
}

TEST(HandTest, FilesSayWhatTheyAreIn) {
    const Scene inside = bracket();
    for (const Told& told : all_conventions()) {
        if (told.unit != 0.01) continue;
        SCOPED_TRACE(to_text(convention_of(told)));
        Scene scene = inside;
        convert(scene, convention_of(told));
        const auto glb = write_glb(scene);
        auto dae = write_collada(scene, "bracket");
        ASSERT_THAT(dae, IsOk());
        for (const Scene& again :
             {back({{{"bracket.glb", glb}}, {}}), back(std::move(dae).value())}) {
            for (const double t : {0.0, 0.7}) {
                const Pose was = pose_at(inside, inside.timelines[0], t),
                           is = pose_at(again, again.timelines[0], t);
                for (const char* name : {"hip", "knee", "prop"})
                    EXPECT_LT(test::difference(was.worlds[at(find_node(inside, name))],
                                               is.worlds[at(find_node(again, name))]),
                              2e-5)
                        << name;
            }
        }
    }
}

TEST(HandTest, AMarkThatIsNoneIsRefused) {
    for (const char* mark :
         {R"({"up":"+Z","front":"-Z","hand":"left","metres_per_unit":1})",
          R"({"up":"+Z","front":"+X","hand":"both","metres_per_unit":1})",
          R"({"up":"+Z","front":"+X","hand":"left","metres_per_unit":0})",
          R"({"up":"Z","front":"+X","hand":"left","metres_per_unit":1})", R"({})"}) {
        const std::string text =
            fmt::format(R"({{"asset":{{"version":"2.0","extras":{{"convention":{}}}}}}})", mark);
        EXPECT_THAT(test::read_tiny(test::text_bytes(text)),
                    test::FailsWith(Code::kGltfBroken, "asset.extras.convention"))
            << mark;
    }
}

}  // namespace
}  // namespace mellow::convention_test
