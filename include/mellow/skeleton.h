// Skeleton: joints in parent-before-child order, with their rest pose.
//
// Invariants, checked by make(): every parent comes before its children, names are unique and not
// empty, transforms are finite. Thread rule: immutable after make().
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "mellow/result.h"
#include "mellow/transform.h"

namespace mellow {

/// A joint at rest.
struct Joint {
    std::string name;
    int parent = -1;  ///< index of an earlier joint, or -1
    Transform rest;   ///< relative to the parent
};

/// Joints, parents before children, each name once.
class Skeleton {
  public:
    Skeleton() = default;
    /// Fails with name-clash, node-cycle (a parent that does not come first) or number-bad.
    static Result<Skeleton> make(std::vector<Joint> joints);

    const std::vector<Joint>& joints() const { return joints_; }
    int size() const { return static_cast<int>(joints_.size()); }
    const Joint& operator[](int joint) const { return joints_[static_cast<std::size_t>(joint)]; }
    /// Index of the joint of that name, or -1.
    int find(std::string_view name) const;
    /// World matrix of every joint in the rest pose.
    std::vector<Affine> rest_worlds() const;

  private:
    std::vector<Joint> joints_;
    std::shared_ptr<const std::map<std::string, int, std::less<>>> by_name_;  ///< shared by copies
};

}  // namespace mellow
