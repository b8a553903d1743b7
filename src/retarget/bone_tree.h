// A skeleton at rest as a tree of bones with lengths: what roles are read from.
#pragma once

#include <vector>

#include "mellow/skeleton.h"

namespace mellow {

struct BoneTree {
    explicit BoneTree(const Skeleton& skeleton);

    const Skeleton& skeleton;
    std::vector<Vec3> places;                ///< in the world
    std::vector<std::vector<int>> children;  ///< those with the longest way below them first
    std::vector<double> reach;               ///< the longest way from a joint to a leaf below it
    std::vector<int> count;                  ///< joints below one, and itself
    double longest = 0;                      ///< the longest way from one leaf to another

    double bone(int joint) const;  ///< length from the parent to this joint
    /// True where `joint` is `top`, or somewhere below it.
    bool below(int joint, int top) const;
    /// The lowest joint that both hang on, or are; kNone without one.
    int common(int a, int b) const;
    /// From below `top` down to `joint`; empty where they are one.
    std::vector<int> way(int top, int joint) const;
    /// How unlike the bones below two joints are: 0 where all lengths are the same.
    double unlike(int a, int b) const;
};

}  // namespace mellow
