// What of a source is not packed, and is said: frames in no clip, lights, meshes that are not of
// the figure.
#include <fmt/format.h>

#include <algorithm>

#include "base/at.h"
#include "base/text.h"
#include "base/toml_text.h"
#include "figure/figure.h"
#include "mellow/node_mask.h"

namespace mellow {
/// Lights are not carried: said here of glTF, where they are an extension of nodes that is kept
/// until then; readers of other formats say it.
void Figure::note_lights() {
    std::vector<std::string> lights;
    for (const Node& node : scene_.nodes)
        if (node.light && !node.extensions.empty()) lights.push_back(node.name);
    if (!lights.empty())
        notes_.findings.push_back({Code::kLeftOut, Severity::kNote, Place::in(recipe_->source),
                                   fmt::format("lights: {}", name_list(lights)),
                                   "nodes, meshes and cameras",
                                   "set them up where the figure is used"});
}

/// Joints whose shear the recipe accepts, by their names without prefix.
Status Figure::find_accepted() {
    if (recipe_->accept_shear.empty()) return {};
    MELLOW_TRY(const std::vector<int> nodes,
               masked_nodes(scene_, recipe_->accept_shear, "", "proof, accept_shear"));
    accepted_.assign(scene_.nodes.size(), false);
    for (const int n : nodes) accepted_[at(n)] = true;
    return {};
}

/// Takes out meshes and cameras that the recipe drops, and meshes that are not of the figure.
Status Figure::leave_out(const JointChoice& choice, const std::vector<int>& driven) {
    Findings wrong;
    const auto nodes_of = [&](const NodeMask& mask, const char* where) {
        auto nodes = masked_nodes(scene_, mask, "", where);
        if (nodes) return std::move(nodes).value();
        append(wrong, nodes.failures());
        return std::vector<int>{};
    };
    (void)nodes_of(choice.only, "joints, only");
    const std::vector<int> kept = nodes_of(choice.keep, "joints, keep"),
                           dropped = nodes_of(choice.drop, "joints, drop");
    if (!wrong.empty()) return wrong;
    std::vector<bool> moved(scene_.nodes.size(), false), still = moved, drop = moved, keep = moved;
    for (const int n : driven) moved[at(n)] = true;
    for (const int n : dropped) drop[at(n)] = true;
    for (const int n : kept) keep[at(n)] = true, drop[at(n)] = false;
    for (const int n : parents_first(scene_))
        if (const int p = scene_.nodes[at(n)].parent; p != kNone && moved[at(p)])
            moved[at(n)] = true;
    for (const int n : static_meshes_) still[at(n)] = !moved[at(n)];
    std::vector<std::string> scenery, meshes, cameras;
    for (std::size_t n = 0; n < scene_.nodes.size(); ++n) {
        Node& node = scene_.nodes[n];
        const auto part = at(rigid_part(scene_, static_cast<int>(n)));
        const bool view = node.split_off && drop[at(node.parent)];
        if (node.camera != kNone && (drop[n] || view))
            node.camera = kNone, cameras.push_back(node.name);
        if (node.mesh == kNone) continue;
        const bool named = drop[n] || (drop[part] && still[part]);
        if (named && (node.skin != kNone || still[part])) {
            node.mesh = kNone;
            meshes.push_back(scene_.nodes[part].name);
        } else if (still[part] && !keep[part] && !recipe_->keep_static_meshes) {
            node.mesh = kNone;
            scenery.push_back(scene_.nodes[part].name);
        }
        if (node.mesh == kNone) node.morph_weights.clear();
    }
    if (!meshes.empty() || !cameras.empty()) {
        meshes.insert(meshes.end(), cameras.begin(), cameras.end());
        notes_.findings.push_back({Code::kLeftOut, Severity::kNote, "joints, drop",
                                   fmt::format("left out as asked: {}", name_list(meshes)), "",
                                   ""});
    }
    const bool travels = !travel_asked(*recipe_).empty();
    const Edit its = travels ? Edit{"joints", "drop", toml_texts(scenery)}
                             : Edit{"joints", "static_meshes", "\"keep\""};
    if (!scenery.empty())
        notes_.findings.push_back(
            {Code::kLeftOut,
             Severity::kWarning,
             "meshes",
             fmt::format(
                 "meshes that are not of the figure (no skin, not moved, below no joint): {}",
                 name_list(scenery)),
             "meshes that are skinned, hang on a joint or are moved",
             edit_lines({its}) + (travels
                                      ? ", where they are scenery; keep = [...] makes joints of "
                                        "them, which a rule moves along"
                                      : ", to hang them on the root"),
             {its}});
    if (recipe_->keep_static_meshes && std::find(still.begin(), still.end(), true) != still.end())
        if (const Place where = travel_asked(*recipe_); !where.empty())
            return Finding{Code::kValueBad,
                           Severity::kStop,
                           where,
                           "travel, while static meshes hang on the root: they would go along",
                           "one of both",
                           "take out static_meshes = \"keep\" or travel"};
    return {};
}

}  // namespace mellow
