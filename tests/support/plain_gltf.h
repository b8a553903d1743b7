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

/// a * b.
inline PlainMatrix times(const PlainMatrix& a, const PlainMatrix& b) {
    PlainMatrix out{};
    for (std::size_t r = 0; r < 4; ++r)
        for (std::size_t c = 0; c < 4; ++c)
            for (std::size_t i = 0; i < 4; ++i) out[r][c] += a[r][i] * b[i][c];
    return out;
}

/// Of a matrix that turns and shifts.
inline PlainMatrix undone(const PlainMatrix& m) {
    PlainMatrix out{};
    for (std::size_t r = 0; r < 3; ++r)
        for (std::size_t c = 0; c < 3; ++c) {
            out[r][c] = m[c][r];
            out[r][3] -= m[c][r] * m[c][3];
        }
    out[3][3] = 1;
    return out;
}

}  // namespace mellow::test
