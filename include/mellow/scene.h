// Scene: what a reader returns and a writer takes. Nodes, meshes, skins, morph targets, timelines
// of keyed curves, and the parts of a file we carry without looking inside.
//
// A Scene knows no convention of its own: its numbers are in `convention` until convert() rewrites
// them. Indices are checked by the readers: every index in a Scene is in range or kNone, and the
// nodes form a forest.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "mellow/bytes.h"
#include "mellow/convention.h"
#include "mellow/curve.h"
#include "mellow/euler.h"
#include "mellow/finding.h"
#include "mellow/place.h"
#include "mellow/rate.h"
#include "mellow/result.h"
#include "mellow/transform_stack.h"

namespace mellow {

inline constexpr int kNone = -1;

/// JSON text of an object, carried from a file to the next unread; empty when there is none.
using RawJson = std::string;

/// One node of a scene: where it is, and what hangs on it.
struct Node {
    std::string name;
    int parent = kNone;
    Transform local;                  ///< rest pose, relative to the parent
    std::optional<Affine> shear;      ///< what `local` cannot hold: see local_matrix()
    std::vector<StackElement> stack;  ///< what `local` came from, where member curves move it
    std::optional<EulerOrder> order;  ///< of the Euler angles that the file keyed
    int mesh = kNone;
    int skin = kNone;
    int camera = kNone;
    std::vector<double> morph_weights;  ///< at rest; as many as the mesh has targets, or none
    bool end_site = false;              ///< the tip of a bone, with a place but no motion (BVH)
    bool light = false;                 ///< it has a light in the file; no more of it is carried
    /// It was split off from its parent, for the camera or the mesh that the parent had. Who asks
    /// for the parent means it as well.
    bool split_off = false;
    RawJson extras, extensions;
};

/// In what form a number of an attribute is stored.
enum class Component { kInt8, kUint8, kInt16, kUint16, kUint32, kFloat };

/// A vertex attribute we carry as it is: colours, texture coordinates, application data.
struct Attribute {
    std::string semantic;  ///< "TEXCOORD_0", "COLOR_0", "_AGE"
    int components = 1;    ///< numbers per vertex: 1 to 4
    Component component = Component::kFloat;
    bool normalized = false;
    std::vector<std::uint8_t> bytes;  ///< tightly packed, vertex after vertex
};

using Float3 = std::array<float, 3>;
using Float4 = std::array<float, 4>;
/// The same numbers in double precision.
inline Vec3 as_vec(const Float3& p) { return {p[0], p[1], p[2]}; }

/// Deltas of one morph target, added at weight 1. Empty arrays mean no deltas of that kind.
struct MorphTarget {
    std::vector<Float3> positions, normals, tangents;
    std::vector<Attribute> others;
};

/// What the vertices of a part make: glTF 2.0, 3.7.2.1, in its order.
enum class Topology { kPoints, kLines, kLineLoop, kLineStrip, kTriangles, kStrip, kFan };
/// True for what has a surface.
inline bool has_surface(Topology topology) { return topology >= Topology::kTriangles; }

/// One drawable part of a mesh. All arrays that are not empty have one entry per vertex, but
/// `indices` and the influences: influences hold `influences_per_vertex` per vertex.
struct Primitive {
    Topology topology = Topology::kTriangles;
    int material = kNone;
    std::vector<std::uint32_t> indices;
    std::vector<Float3> positions, normals;
    std::vector<Float4> tangents;
    int influences_per_vertex = 0;                ///< 0, 4, 8, ...
    std::vector<std::uint16_t> influence_joints;  ///< indices into Skin::joints
    std::vector<float> influence_weights;
    std::vector<Attribute> others;
    std::vector<MorphTarget> targets;
    RawJson extras, extensions;
};

/// Parts of one shape that share their morph targets.
struct Mesh {
    std::string name;
    std::vector<Primitive> primitives;
    std::vector<std::string> target_names;  ///< as many as there are targets
    std::vector<double> morph_weights;      ///< at rest, where the node says none
    RawJson extras, extensions;
};

/// Joint nodes and the matrices that take a vertex of the mesh to each joint's space at bind.
struct Skin {
    std::string name;
    std::vector<int> joints;
    std::vector<Affine> inverse_binds;  ///< one per joint
    int skeleton = kNone;
    RawJson extras, extensions;
};

/// A picture as it was read: its bytes are carried, never decoded.
struct Image {
    std::string name, mime;
    Bytes bytes;  ///< the encoded picture
    RawJson extras, extensions;
};

/// A material: its colour and picture for drawing, the rest carried as it is.
struct Material {
    std::string name;
    Float4 base_color{1, 1, 1, 1};
    int base_image = kNone;
    RawJson json;  ///< the material as a glTF object without its name, written back as it was
};

enum class Path { kTranslation, kRotation, kScale, kWeights };
/// "translation", "rotation", "scale" or "weights".
std::string_view name(Path path);

/// Keys of one quantity of one node.
struct Channel {
    int node = kNone;
    Path path = Path::kTranslation;
    Curve curve;
};

/// Morph weights for a mesh that is in another file: how a motion-only file carries them.
struct MorphCurve {
    std::string mesh;                  ///< name of the mesh node
    std::vector<std::string> targets;  ///< as many as the curve is wide
    Curve curve;
};

/// A number over time that moves nothing in the file: field of view, a scalar of a rig.
struct ScalarCurve {
    std::string name, unit;
    Curve curve;  ///< one number wide
};

/// The shear of a node over time: columns of Node::shear's linear part, nine numbers a key. What
/// only channels play has lost it.
struct ShearCurve {
    int node = kNone;
    Curve curve;
};

/// One animation of the file. A node is moved by channels or by member curves of its stack, not by
/// both; morph weights, too.
struct Timeline {
    std::string name;
    std::vector<Channel> channels;
    std::vector<MorphCurve> morphs;
    std::vector<MemberCurve> members;           ///< all of one node stand together
    std::optional<std::array<double, 2>> span;  ///< the seconds that count, where keys go beyond
    RawJson extras = {}, extensions = {};
    std::vector<ScalarCurve> scalars = {};
    std::vector<ShearCurve> shears = {};
};

/// All that a file holds, in the terms of its convention. Nodes, meshes and so on refer to each
/// other by index.
struct Scene {
    std::string name;
    Convention convention;        ///< what the numbers below are in
    Convention stack_convention;  ///< the same for stacks and member curves: convert() leaves them
    FrameRate rate;               ///< what frame numbers count; see rate_known
    bool rate_known = false;
    std::vector<Node> nodes;
    std::vector<int> roots;  ///< of the scene that is shown
    std::vector<Mesh> meshes;
    std::vector<Skin> skins;
    std::vector<Image> images;
    std::vector<Material> materials;
    std::vector<RawJson> cameras;
    RawJson textures, samplers;  ///< whole glTF arrays
    RawJson extras;
    std::vector<std::pair<std::string, RawJson>> extensions;  ///< of the whole file, by name
    std::vector<std::string> extensions_used, extensions_required;
    std::string copyright;
    std::vector<Timeline> timelines;
};

/// Children of each node, in file order.
std::vector<std::vector<int>> children_of(const Scene& scene);
/// Node indices so that a parent comes before its children, file order among brothers.
std::vector<int> parents_first(const Scene& scene);
/// The rest matrix of a node relative to its parent: translation * rotation * scale * shear.
Affine local_matrix(const Node& node);
/// True for nodes whose matrix no Transform holds, at rest or at some time.
std::vector<bool> sheared_nodes(const Scene& scene);
/// World matrix of every node in the rest pose.
std::vector<Affine> rest_worlds(const Scene& scene);
/// Three vertices per triangle, in the winding of the file: glTF 2.0, 3.7.2.1. Empty for points and
/// lines.
std::vector<std::uint32_t> triangles_of(const Primitive& primitive);
/// Number of morph targets of a node's mesh; 0 without a mesh.
int morph_count(const Scene& scene, int node);
/// Rest weights of a node's morph targets: the node's own, else the mesh's, else 0.
std::vector<double> rest_weights(const Scene& scene, int node);
/// The node named exactly `name`, or kNone.
int find_node(const Scene& scene, std::string_view name);
/// The first node of each name, for looking up many.
std::unordered_map<std::string_view, int> nodes_by_name(const Scene& scene);
/// Where the morph weights of each node begin in a PoseTile's scalars, kNone for nodes without.
/// `count` is the number of scalars in all.
struct ScalarLayout {
    std::vector<int> offset;
    int count = 0;
};
/// Node after node, in the order of the scene.
ScalarLayout scalar_layout(const Scene& scene);

/// The member curves of each node in turn.
std::vector<std::span<const MemberCurve>> member_runs(std::span<const MemberCurve> all);
/// Turns stacks under member curves, and weights under them, into channels, so that any writer and
/// player understands them: with linear keys where the curves had theirs if that is exact, else as
/// cubic splines with keys added, on frames of scene.rate first, until turns agree within 1e-7
/// radians and places within 1e-7 of a metre, checked at three places between keys. A jump becomes
/// two keys 10 microseconds apart. Spans are cut to. Says what it had to approximate.
Findings compose_stacks(Scene& scene);

/// First and last key over a timeline, or its span, seconds; {0, 0} without keys.
std::array<double, 2> key_span(const Timeline& timeline);

/// Whole frames, both included.
struct FrameSpan {
    std::int64_t first = 0, last = 0;
};
/// The whole frames that enclose a span of frames; a thousandth of a frame beyond is rounding.
FrameSpan whole_frames(double first, double last);
/// The frames that enclose all keys of a timeline, counted at `rate`.
FrameSpan frames_of(const Timeline& timeline, FrameRate rate);
/// The timeline of that name, or of `prefix` and that name; without a name the only one there is.
/// Fails with name-unknown, which suggests the nearest.
Result<int> find_timeline(const Scene& scene, const std::string& name, const std::string& prefix,
                          const Place& where);

/// Rewrites all numbers of `scene` into `to`. Shapes, indices and names stay.
void convert(Scene& scene, const Convention& to);
/// Takes a scene that was read inside: metres, +Y up, +Z front. Everything behind the readers wants
/// its scenes there.
inline void to_inside(Scene& scene) { convert(scene, Convention{}); }

/// Whether nineteen keys in twenty of a timeline lie within a thousandth of a frame of that rate.
bool fits_rate(const Timeline& timeline, FrameRate rate);
/// The rate that fits a timeline, the slowest of the usual ones; false when there is none.
bool guess_rate(const Timeline& timeline, FrameRate& rate);
/// The rate that fits most of the timelines, by their keys; false when there is none.
bool guess_rate(const Scene& scene, FrameRate& rate);
/// Gives timelines without a name, or with that of an earlier one, a name of their own. Those that
/// had another come back, "old -> new".
std::vector<std::string> name_timelines(Scene& scene);
/// Mesh nodes that are not of the figure where others are skinned: without skin, with no key on
/// them or above, below no joint. Empty in a scene without skins.
std::vector<int> static_meshes(const Scene& scene);
/// Says that the frames of a file were taken at another rate than it claims: every key keeps its
/// frame number and gets the seconds of the new rate.
void declare_rate(Scene& scene, FrameRate rate);
/// Moves keys that miss a frame of scene.rate by rounding alone (1e-5 of a frame, or single
/// precision) onto it exactly.
void snap_keys(Scene& scene);

}  // namespace mellow
