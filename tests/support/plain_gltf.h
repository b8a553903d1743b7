// GLB files read plainly, from the specification, for tests: nodes, their world matrices at a
// sample of an animation, vertices. Shares no code with the library.
#pragma once

#include <array>
#include <map>
#include <string>
#include <vector>

namespace mellow::test {

using PlainMatrix = std::array<std::array<double, 4>, 4>;  // [row][column]

struct PlainNode {
    int parent = -1;
    PlainMatrix world;
};

/// World matrices of all nodes by name, at key `sample` of the animation of that name; at rest
/// without a name. Every channel must have that key.
std::map<std::string, PlainNode> plain_gltf_worlds(const std::string& glb,
                                                   const std::string& animation, int sample);
/// Key times of the animation's first sampler; names of its nodes, in the order of the file.
std::vector<double> plain_gltf_times(const std::string& glb, const std::string& animation);
std::vector<std::string> plain_gltf_names(const std::string& glb);
/// Values of a scalar channel that the animation's extras name.
std::vector<double> plain_gltf_scalar(const std::string& glb, const std::string& animation,
                                      const std::string& scalar);
/// Numbers of an accessor that an attribute of the first primitive of a mesh names.
std::vector<double> plain_gltf_attribute(const std::string& glb, const std::string& mesh,
                                         const std::string& attribute);

}  // namespace mellow::test
