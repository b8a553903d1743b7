#include "figure/kept_drives.h"

#include <algorithm>

#include "base/at.h"

namespace mellow {
namespace {

using Of = DriveInput::Of;

std::string bare(const std::string& name, const std::string& prefix) {
    return name.starts_with(prefix) ? name.substr(prefix.size()) : name;
}

/// The joint of that name, if nothing stands between it and the joint above; else kNone.
int direct_joint(const std::string& name, const Scene& scene, const Skeleton& skeleton,
                 const JointSources& sources) {
    const int joint = skeleton.find(name);
    if (joint < 0 || sources[at(joint)].node == kNone) return kNone;
    const int up = skeleton[joint].parent;
    const int above = up < 0 ? kNone : sources[at(up)].node;
    return scene.nodes[at(sources[at(joint)].node)].parent == above ? joint : kNone;
}

}  // namespace

std::vector<KeptDrive> kept_drives(const RigSheet& sheet, const std::string& strip_prefix,
                                   const Scene& scene, const Skeleton& skeleton,
                                   const JointSources& sources) {
    std::vector<KeptDrive> out;
    for (const Rule& rule : sheet.rules) {
        const auto* drive = std::get_if<DriveRule>(&rule.body);
        if (drive == nullptr || drive->to != DriveRule::To::kMorph) continue;
        KeptDrive kept{bare(drive->node, strip_prefix), drive->target, drive->product, {}};
        for (const DriveInput& input : drive->inputs) {
            const std::string name = bare(input.node, strip_prefix);
            const int joint = direct_joint(name, scene, skeleton, sources);
            if ((input.of != Of::kSwing && input.of != Of::kTwist) || joint == kNone) break;
            // In turned axes T the rotation away from rest is conj(T) away T.
            const Vec3 axis = rotate(conjugate(sources[at(joint)].turn), input.axis);
            kept.inputs.push_back({name, input.of == Of::kTwist, axis, input.curve});
        }
        if (kept.inputs.size() == drive->inputs.size()) out.push_back(std::move(kept));
    }
    return out;
}

void keep_of(const Scene& scene, std::vector<KeptDrive>& drives) {
    std::erase_if(drives, [&](const KeptDrive& drive) {
        const int node = find_node(scene, drive.mesh);
        const int mesh = node == kNone ? kNone : scene.nodes[at(node)].mesh;
        if (mesh == kNone) return true;
        const std::vector<std::string>& targets = scene.meshes[at(mesh)].target_names;
        return std::find(targets.begin(), targets.end(), drive.target) == targets.end();
    });
}

}  // namespace mellow
