#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/at.h"
#include "mellow/figure_map.h"
#include "retarget/joint_words.h"

namespace mellow {
namespace {

std::vector<std::string> names_of(const Skeleton& skeleton, const std::vector<int>& joints) {
    std::vector<std::string> out;
    for (const int j : joints) out.push_back(skeleton[j].name);
    return out;
}

/// Those of a skeleton that no pair has.
std::vector<std::string> left_over(const Skeleton& skeleton, const std::set<std::string>& taken) {
    std::vector<std::string> out;
    for (const Joint& joint : skeleton.joints())
        if (!taken.contains(joint.name)) out.push_back(joint.name);
    return out;
}

}  // namespace

Result<JointMatch> match_figures(const Skeleton& motion, const Place& motion_where,
                                 const Skeleton& figure, const Place& figure_where) {
    const JointRoles its = find_roles(motion, motion_where), own = find_roles(figure, figure_where);
    JointMatch out;
    if (its.four_legged != own.four_legged)
        return Finding{Code::kSkeletonDiffers,
                       Severity::kStop,
                       its.four_legged ? motion_where : figure_where,
                       "a trunk that lies at rest: a body on four legs, or other axes than the "
                       "file says",
                       "one that stands, as the other file's",
                       "its true axes, up and front; or motion of a body of that kind"};
    for (const JointRoles* roles : {&its, &own})
        for (const Finding& f : roles->findings) {
            if (f.severity == Severity::kStop) return f;
            out.findings.push_back(f);
        }
    std::set<std::string> taken_its, taken_own;
    int limbs = 0;
    for (const RoleJoints& role : own.roles) {
        const auto found = std::find_if(its.roles.begin(), its.roles.end(), [&](const auto& r) {
            return r.role == role.role && r.side == role.side;
        });
        if (found == its.roles.end()) continue;
        MapPair pair{role.role,
                     role.side,
                     "",
                     names_of(motion, found->joints),
                     names_of(figure, role.joints),
                     found->told,
                     role.told};
        taken_its.insert(pair.motion.begin(), pair.motion.end());
        taken_own.insert(pair.figure.begin(), pair.figure.end());
        limbs += role.role == Role::kThigh || role.role == Role::kUpperArm ? 1 : 0;
        out.map.pairs.push_back(std::move(pair));
    }
    if (limbs == 0)
        return Finding{Code::kSkeletonDiffers,
                       Severity::kStop,
                       motion_where,
                       "no pair of limbs that the figure has as well",
                       "legs or arms: two chains of three joints, about alike in their bones",
                       "a map written by hand, or motion of such a body"};
    // What has no role goes by its name.
    std::map<std::string, std::string> bare;
    for (const std::string& name : left_over(motion, taken_its))
        bare.emplace(bare_name(name), name);
    for (const std::string& name : left_over(figure, taken_own)) {
        const auto found = bare.find(bare_name(name));
        if (found == bare.end() || found->first.empty()) continue;
        Evidence told;
        told.name = true;
        out.map.pairs.push_back(
            {Role::kOther, BodySide::kMiddle, name, {found->second}, {name}, told, told});
        taken_its.insert(found->second);
        taken_own.insert(name);
        bare.erase(found);
    }
    out.motion_left = left_over(motion, taken_its);
    out.figure_left = left_over(figure, taken_own);
    return out;
}

}  // namespace mellow
