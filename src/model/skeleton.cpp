#include "mellow/skeleton.h"

#include <fmt/format.h>

#include <unordered_map>

namespace mellow {

Result<Skeleton> Skeleton::make(std::vector<Joint> joints) {
    std::unordered_map<std::string_view, std::size_t> seen;
    for (std::size_t j = 0; j < joints.size(); ++j) {
        const Joint& joint = joints[j];
        const Place where = Place::of(fmt::format("joint {} \"{}\"", j, joint.name));
        if (joint.name.empty() || !seen.emplace(joint.name, j).second)
            return Finding{Code::kNameClash,
                           Severity::kStop,
                           where,
                           joint.name.empty()
                               ? "no name"
                               : fmt::format("the name of joint {} too", seen[joint.name]),
                           "one name per joint",
                           "rename one of them in the source"};
        if (joint.parent >= static_cast<int>(j) || joint.parent < -1)
            return Finding{Code::kNodeCycle,
                           Severity::kStop,
                           where,
                           fmt::format("parent {}", joint.parent),
                           "a parent that comes earlier",
                           ""};
        const Transform& t = joint.rest;
        if (!is_finite(t.t) || !is_finite(t.s) || !std::isfinite(dot(t.r, t.r)))
            return Finding{Code::kNumberBad,
                           Severity::kStop,
                           where,
                           "a rest pose that is not finite",
                           "finite numbers",
                           ""};
    }
    Skeleton skeleton;
    skeleton.joints_ = std::move(joints);
    std::map<std::string, int, std::less<>> by_name;
    for (int j = 0; j < skeleton.size(); ++j) by_name.emplace(skeleton[j].name, j);
    skeleton.by_name_ =
        std::make_shared<const std::map<std::string, int, std::less<>>>(std::move(by_name));
    return skeleton;
}

int Skeleton::find(std::string_view name) const {
    if (!by_name_) return -1;
    const auto found = by_name_->find(name);
    return found == by_name_->end() ? -1 : found->second;
}

std::vector<Affine> Skeleton::rest_worlds() const {
    std::vector<Affine> worlds;
    worlds.reserve(joints_.size());
    for (const Joint& joint : joints_) {
        const Affine local = to_affine(joint.rest);
        worlds.push_back(joint.parent < 0 ? local
                                          : worlds[static_cast<std::size_t>(joint.parent)] * local);
    }
    return worlds;
}

}  // namespace mellow
