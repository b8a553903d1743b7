// A figure of two joints with keys as a test wants them, and recipes for it.
#pragma once

#include <fmt/format.h>

#include <cmath>
#include <functional>
#include <string>
#include <vector>

#include "packing.h"
#include "plain_gltf.h"
#include "support.h"

namespace mellow::test {

inline void write_bytes(const std::filesystem::path& path, const std::vector<std::uint8_t>& bytes) {
    write_text(path, {bytes.begin(), bytes.end()});
}

/// Keys from second 0 to 2: what a channel of node 0 or 1 is told.
struct Keyed {
    int node;
    std::string path;
    std::vector<double> times, values;
};

/// A figure of two joints, hips and head 0.5 m above, with a triangle that hangs half on each;
/// `nodes` go behind them: hips is node 0, head 1, body 2.
inline std::vector<std::uint8_t> figure(const std::vector<Keyed>& keys,
                                        const std::string& nodes = "",
                                        const std::string& roots = "",
                                        const std::string& more = "") {
    TinyGltf gltf;
    const int places = gltf.floats({0, 0, 0, 0.2, 1.7, 0, -0.2, 1.7, 0}, "VEC3");
    const int joints = gltf.bytes({0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0}, "VEC4", 5121, false);
    const int weights = gltf.floats({0.5, 0.5, 0, 0, 0.5, 0.5, 0, 0, 0.5, 0.5, 0, 0}, "VEC4");
    const int binds = gltf.floats({1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, -1,   0, 1,
                                   1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, -1.5, 0, 1},
                                  "MAT4");
    std::string samplers, channels;
    for (std::size_t i = 0; i < keys.size(); ++i) {
        const int in = gltf.floats(keys[i].times, "SCALAR");
        const int out = gltf.floats(keys[i].values, keys[i].path == "rotation" ? "VEC4" : "VEC3");
        samplers += fmt::format(R"({}{{"input":{},"output":{}}})", i == 0 ? "" : ",", in, out);
        channels += fmt::format(R"({}{{"sampler":{},"target":{{"node":{},"path":"{}"}}}})",
                                i == 0 ? "" : ",", i, keys[i].node, keys[i].path);
    }
    return gltf.glb(fmt::format(
        R"("scene":0,"scenes":[{{"nodes":[0,2{}]}}],"nodes":[{{"name":"hips","translation":[0,1,0],"children":[1]}},)"
        R"({{"name":"head","translation":[0,0.5,0]}},{{"name":"body","mesh":0,"skin":0}}{}],)"
        R"("meshes":[{{"primitives":[{{"attributes":{{"POSITION":{},"JOINTS_0":{},"WEIGHTS_0":{}}}}}]}}{}],)"
        R"("skins":[{{"joints":[0,1],"inverseBindMatrices":{}}}],)"
        R"("animations":[{{"name":"move","samplers":[{}],"channels":[{}]}}])",
        roots, nodes, places, joints, weights, more, binds, samplers, channels));
}

inline std::string recipe(const std::string& clip, const std::string& more = "",
                          const std::string& source = "") {
    return "[source]\nfile = \"figure.glb\"\n" + source +
           "[output]\nfolder = \"out\"\npicture = false\n[target]\nrate = 24\n" + more +
           "[[clip]]\nname = \"c\"\n" + clip;
}

/// Frames of 24 a second and the values of a function of the frame.
template <class Value>
Keyed keyed(int node, const std::string& path, int frames, Value value) {
    Keyed k{node, path, {}, {}};
    for (int f = 0; f <= frames; ++f) {
        k.times.push_back(f / 24.0);
        for (const double v : value(f)) k.values.push_back(v);
    }
    return k;
}
using Three = std::vector<double>;

class SmallFigure : public testing::Test {
  protected:
    PackReport pack(const std::vector<Keyed>& keys, const std::string& text,
                    const std::string& nodes = "", const std::string& roots = "",
                    const std::string& meshes = "") {
        write_bytes(folder_ / "figure.glb", figure(keys, nodes, roots, meshes));
        auto report = pack_text(folder_, text, true);
        EXPECT_THAT(report, IsOk());
        return report ? std::move(report).value() : PackReport{};
    }
    /// Hips that go this far along Z by frame.
    static Keyed going(int frames, double metres) {
        return keyed(0, "translation", frames, [=](int f) {
            return Three{0, 1, metres * f / frames};
        });
    }
    /// The head turns about X by this many degrees at each frame.
    static Keyed nodding(const std::function<double(int)>& degrees, int frames = 48) {
        return keyed(1, "rotation", frames, [&](int f) {
            const double half = degrees(f) * M_PI / 360;
            return Three{std::sin(half), 0, 0, std::cos(half)};
        });
    }
    /// Degrees that the head of a clip is turned by at a sample.
    double nod(const std::string& clip, int sample) const {
        const auto worlds =
            plain_gltf_worlds(read_text(folder_ / ("out/clips/" + clip + ".glb")), clip, sample);
        const auto& m = worlds.at("head").world;
        return std::atan2(m[2][1], m[1][1]) * 180 / M_PI;
    }
    /// As a word of a command line.
    std::string path(const std::string& name) const {
        return "'" + (folder_ / name).string() + "'";
    }
    TempFolder folder_;
};

}  // namespace mellow::test
