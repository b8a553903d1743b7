// Demands on skins; declared in checker.h.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "base/text.h"
#include "check/checker.h"
#include "mellow/fit.h"
#include "mellow/node_mask.h"
#include "mellow/stock.h"

namespace mellow {
namespace {

/// The first finding of a code, if there is one.
const Finding* of_code(const Stock& stock, Code code) {
    for (const Finding& f : stock.findings)
        if (f.code == code) return &f;
    return nullptr;
}

}  // namespace

void Checker::skin(const CheckedFile& file) {
    const Scene& scene = file.scene;
    format(file, target_.skin_format);
    convention(file);
    name(file.file, target_.skin_name);
    Scene inside = scene;
    inside.convention = inside.stack_convention = target_.convention;
    const Stock stock = take_stock(inside);
    const Finding* axes = of_code(stock, Code::kAxisSuspect);
    if (axes == nullptr) axes = of_code(stock, Code::kHandSuspect);
    demand("stands", file.file, "legs along up, feet and sides facing front, by names of joints",
           axes == nullptr ? "nothing speaks against it" : axes->found, axes == nullptr,
           axes == nullptr ? ""
                           : "up, front and hand under [source] as the description of the source "
                             "says; and pack again");
    const Finding* size = of_code(stock, Code::kSizeSuspect);
    demand("size", file.file, "a size that a figure has",
           fmt::format("{:.4g} m at its longest", stock.longest_m), size == nullptr,
           size == nullptr ? "" : size->remedy);
    to_inside(inside);
    measured(file, inside);
    joints(file, joints_of(scene));
    vertices(file);
    winding(file, inside);
    if (target_.rest.posed) {
        const RestShape shape = shape_at_rest(inside);
        demand("bound-at-rest", file.file, "meshes bound in the rest pose",
               fmt::format("up to {:.3g} mm off", shape.far_m * 1000), shape.far_m < 1e-4,
               "rest_skin = \"posed\"   # in the target, and pack again");
    }
    if (target_.layout == Layout::kSkinAndClips || target_.layout == Layout::kSkinAndLibrary)
        demand("no-motion", file.file, "a skin without animations",
               fmt::format("{} animations", scene.timelines.size()), scene.timelines.empty(),
               "convert its skin alone",
               convert(file, file.format, {{Call::Option::kParts, "skin"}}));
}

void Checker::measured(const CheckedFile& file, const Scene& inside) {
    const Pose rest = rest_pose(inside);
    const Bounds bounds = mesh_bounds(inside, rest);
    const double tall = bounds.any ? bounds.high.y - bounds.low.y : 0;
    if (target_.height_m)
        demand("height", file.file,
               fmt::format("{} to {} m", (*target_.height_m)[0], (*target_.height_m)[1]),
               fmt::format("{:.4g} m", tall),
               tall >= (*target_.height_m)[0] && tall <= (*target_.height_m)[1],
               "unit = \"...\"   # under [source]: what its numbers really are");
    const Bounds bones = node_bounds(joints_of(inside), rest);
    if (inside.skins.empty() || !bounds.any || !bones.any) return;
    const auto longest = [](const Bounds& b) {
        const Vec3 size = b.high - b.low;
        return std::max({size.x, size.y, size.z});
    };
    // Joints of a machine may lie close together in a large mesh; a wrong unit is 25 times or more.
    const double joints = longest(bones), ratio = joints / std::max(longest(bounds), 1e-12);
    if (joints > 0)
        demand("skeleton-size", file.file,
               "joints and mesh in one unit: a tenth to ten times as large",
               fmt::format("{:.3g}", ratio), ratio >= 0.1 && ratio <= 10,
               "bind mesh and joints in one unit in the source: one of them is scaled");
}

void Checker::joints(const CheckedFile& file, const std::vector<int>& joints) {
    const Scene& scene = file.scene;
    std::set<std::string> names;
    std::vector<std::string> doubled, roots;
    std::set<int> all(joints.begin(), joints.end());
    for (const int j : joints) {
        const Node& node = scene.nodes[at(j)];
        if (node.name.empty() || !names.insert(node.name).second) doubled.push_back(node.name);
        if (node.parent == kNone || !all.contains(node.parent)) roots.push_back(node.name);
    }
    demand("joint-names", file.file, "a name for every joint, each once",
           doubled.empty() ? fmt::format("{} names", names.size()) : name_list(doubled),
           doubled.empty(), "rename them in the source");
    demand("one-root", file.file, "one joint that all others hang on",
           roots.size() == 1 ? roots[0] : fmt::format("{}: {}", roots.size(), name_list(roots)),
           roots.size() == 1, "pack the source: packing adds a root");
    if (target_.joints.most > 0)
        demand("joint-count", file.file, fmt::format("at most {}", target_.joints.most),
               std::to_string(joints.size()),
               static_cast<int>(joints.size()) <= target_.joints.most,
               "drop = [...]   # under [joints]");
    if (roots.empty() || joints.empty()) return;
    const Node& root = scene.nodes[at(joints.front())];
    const std::string wanted = !target_.root.empty() ? target_.root
                               : target_.joints.list.joints.empty()
                                   ? ""
                                   : target_.joints.list.joints[0].name;
    if (!wanted.empty())
        demand("root-name", file.file, wanted, root.name, root.name == wanted,
               target_.root.empty()
                   ? fmt::format("root = \"{}\"   # in the target, and pack again", wanted)
                   : "pack the source for this target: that names the root so");
    // What stands above the root counts as well: an engine may apply it, or not.
    bool plain = true;
    std::string found = "none";
    for (int n = joints.front(); n != kNone; n = scene.nodes[at(n)].parent) {
        const Transform& t = scene.nodes[at(n)].local;
        const double turned = 2 * std::acos(std::min(1.0, std::abs(t.r.w))) * 180 / M_PI;
        const double scaled = length(t.s - Vec3{1, 1, 1});
        if ((turned < 0.01 && scaled < 1e-4) || !plain) continue;
        plain = false;
        found = fmt::format("\"{}\": turned by {:.4g} degrees, scale {:.4g} {:.4g} {:.4g}",
                            scene.nodes[at(n)].name, turned, t.s.x, t.s.y, t.s.z);
    }
    demand("root-at-rest", file.file, "no turn and no scale left on the root or above it", found,
           plain, "pack the source: packing takes both into the data");
    if (target_.joints.list.joints.empty()) return;
    std::vector<std::string> wrong, missing, surplus;
    const auto& list = target_.joints.list.joints;
    std::set<std::string> listed;
    for (const ListedJoint& l : list) {
        listed.insert(l.name);
        if (!names.contains(l.name)) missing.push_back(l.name);
    }
    for (const int j : joints)
        if (!listed.contains(scene.nodes[at(j)].name)) surplus.push_back(scene.nodes[at(j)].name);
    for (std::size_t i = 0; i < std::min(list.size(), joints.size()); ++i) {
        const Node& node = scene.nodes[at(joints[i])];
        if (node.name != list[i].name) {
            wrong.push_back(
                fmt::format("joint {} is \"{}\", not \"{}\"", i, node.name, list[i].name));
            break;
        }
        const std::string above = node.parent == kNone ? "" : scene.nodes[at(node.parent)].name,
                          up = list[i].parent < 0 ? "" : list[at(list[i].parent)].name;
        if (above != up && (all.contains(node.parent) || !up.empty()))
            wrong.push_back(fmt::format("\"{}\" on \"{}\", not \"{}\"", node.name, above, up));
    }
    const std::string again =
        "surplus = \"drop\", missing = \"fill\" or [rename] in the target, and pack again";
    demand("joint-missing", file.file, fmt::format("the {} joints of the list", list.size()),
           missing.empty() ? "all" : "missing: " + name_list(missing), missing.empty(), again);
    demand(
        "joint-surplus", file.file, "no other joints",
        surplus.empty() ? "none" : fmt::format("{} joints: {}", joints.size(), name_list(surplus)),
        surplus.empty(), again);
    demand("joint-order", file.file, "the order and the parents of the list",
           wrong.empty() ? "the same" : name_list(wrong), wrong.empty(), again);
}

void Checker::vertices(const CheckedFile& file) {
    const Scene& scene = file.scene;
    std::size_t vertices = 0, most = 0;
    std::vector<std::string> left;
    for (const Mesh& mesh : scene.meshes) {
        for (const Primitive& p : mesh.primitives) {
            vertices += p.positions.size();
            const auto per = at(p.influences_per_vertex);
            for (std::size_t v = 0; per > 0 && v < p.positions.size(); ++v) {
                std::size_t used = 0;
                for (std::size_t i = v * per; i < (v + 1) * per; ++i)
                    used += p.influence_weights[i] > 0 ? 1 : 0;
                most = std::max(most, used);
            }
        }
        for (const std::string& target : mesh.target_names)
            for (const MorphRule& rule : target_.morphs)
                if (fits_pattern(rule.pattern, target)) {
                    if (rule.fate != MorphRule::Fate::kKeep) left.push_back(target);
                    break;
                }
    }
    if (target_.influences > 0)
        demand(
            "influences", file.file, fmt::format("at most {} joints a vertex", target_.influences),
            std::to_string(most), static_cast<int>(most) <= target_.influences,
            fmt::format("influences = {}   # in the target, and pack again", target_.influences));
    demand("weights", file.file, "weights of each vertex that sum to 1",
           file.unsummed.empty() ? "they do" : file.unsummed, file.unsummed.empty(),
           "normalise the weights in the source");
    if (target_.triangulate) {
        const bool lists = std::all_of(scene.meshes.begin(), scene.meshes.end(), [](const Mesh& m) {
            return std::none_of(m.primitives.begin(), m.primitives.end(), [](const Primitive& p) {
                return p.topology > Topology::kTriangles;
            });
        });
        demand("triangles", file.file, "lists of triangles",
               lists ? "so they are" : "strips or fans", lists,
               "triangulate = true   # in the target, and pack again");
    }
    if (target_.most_vertices > 0)
        demand("vertices", file.file, fmt::format("at most {}", target_.most_vertices),
               std::to_string(vertices), static_cast<int>(vertices) <= target_.most_vertices,
               "a coarser figure");
    if (target_.vertices > 0)
        demand("vertices", file.file, std::to_string(target_.vertices), std::to_string(vertices),
               static_cast<int>(vertices) == target_.vertices,
               "the meshes at the level of detail that is wanted");
    if (!target_.morphs.empty())
        demand("morph-targets", file.file, "none that the target bakes or drops",
               left.empty() ? "none" : name_list(left), left.empty(),
               "pack the source for this target");
    if (target_.pictures == Pictures::kLeftOut)
        demand("textures", file.file, "no pictures", fmt::format("{}", scene.images.size()),
               scene.images.empty(), "textures = \"none\"   # in the target, and pack again");
}

/// Triangles whose front is where their normals say it is not: what a mirror without a change of
/// winding does.
void Checker::winding(const CheckedFile& file, const Scene& inside) {
    std::vector<std::string> wrong;
    bool any = false;
    for (const Mesh& mesh : inside.meshes) {
        std::size_t with = 0, against = 0;
        for (const Primitive& p : mesh.primitives) {
            if (p.normals.size() != p.positions.size()) continue;
            const auto corners = triangles_of(p);
            for (std::size_t i = 0; i + 2 < corners.size(); i += 3) {
                const Vec3 a = as_vec(p.positions[corners[i]]),
                           b = as_vec(p.positions[corners[i + 1]]) - a,
                           c = as_vec(p.positions[corners[i + 2]]) - a;
                const Vec3 normal = as_vec(p.normals[corners[i]]) +
                                    as_vec(p.normals[corners[i + 1]]) +
                                    as_vec(p.normals[corners[i + 2]]);
                const double side = dot(cross(b, c), normal);
                with += side > 0 ? 1 : 0, against += side < 0 ? 1 : 0;
            }
        }
        any = any || with + against > 0;
        if (against > with) wrong.push_back(mesh.name);
    }
    if (any)
        demand("winding", file.file, "triangles that face as their normals do",
               wrong.empty() ? "they do" : "turned over: " + name_list(wrong), wrong.empty(),
               "convert it from what it is: mirrored by the other hand, or scale -1 in the source",
               {{Call::Job::kConvert, {}, {{Call::Option::kHand, "left"}}}});
}

}  // namespace mellow
