#include "retarget/figure_poses.h"

#include "base/at.h"

namespace mellow {

FigurePoses::FigurePoses(const Skeleton& skeleton, const BoundMap& map, int samples)
    : skeleton_(skeleton),
      map_(map),
      samples_(samples),
      turns_(at(samples) * at(skeleton.size())),
      places_(turns_.size()) {
    for (const Joint& joint : skeleton.joints()) {
        const bool top = joint.parent < 0;
        rest_turns_.push_back(top ? joint.rest.r : rest_turns_[at(joint.parent)] * joint.rest.r);
        sizes_.push_back((top ? 1 : sizes_[at(joint.parent)]) * joint.rest.s.x);
    }
    for (const Affine& world : skeleton.rest_worlds()) rest_places_.push_back(world.o);
}

Quat FigurePoses::since_rest(int joint, int k) const {
    return turn(joint, k) * conjugate(rest_turn(joint));
}

void FigurePoses::lay(int k) {
    for (int j = 0; j < skeleton_.size(); ++j) {
        const Joint& joint = skeleton_[j];
        const CarriedJoint& bound = map_.joints[at(j)];
        const bool top = joint.parent < 0;
        if (bound.a < 0)
            turn(j, k) = top ? joint.rest.r : normalized(turn(joint.parent, k) * joint.rest.r);
        if (bound.place) continue;
        place(j, k) =
            top ? joint.rest.t
                : place(joint.parent, k) +
                      rotate(turn(joint.parent, k), joint.rest.t * sizes_[at(joint.parent)]);
    }
}

std::vector<Transform> FigurePoses::locals(int k) const {
    std::vector<Transform> out;
    for (int j = 0; j < skeleton_.size(); ++j) {
        const Joint& joint = skeleton_[j];
        const CarriedJoint& bound = map_.joints[at(j)];
        Transform local = joint.rest;
        const bool top = joint.parent < 0;
        if (bound.a >= 0)
            local.r = top ? turn(j, k) : normalized(conjugate(turn(joint.parent, k)) * turn(j, k));
        if (bound.place)
            local.t = top ? place(j, k)
                          : rotate(conjugate(turn(joint.parent, k)),
                                   place(j, k) - place(joint.parent, k)) *
                                (1 / sizes_[at(joint.parent)]);
        out.push_back(local);
    }
    return out;
}

}  // namespace mellow
