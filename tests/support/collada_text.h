// Small COLLADA files for tests.
#pragma once

#include <fmt/format.h>
#include <cmath>
#include <numbers>
#include <regex>

#include "mellow/pose.h"
#include "support.h"

namespace mellow::test {

inline Result<ReadResult> read_dae(const std::string& text, const ReadLimits& limits = {}) {
    const LoadFile none = [](const std::string& name) -> Result<Bytes> {
        return Finding{
            Code::kFileMissing, Severity::kStop, Place::in(name), "no such file", "", ""};
    };
    return read_collada(Bytes(text.begin(), text.end()), "cart.dae", none, limits);
}

inline ReadResult must_parse(const std::string& text) {
    auto read = read_dae(text);
    EXPECT_THAT(read, IsOk());
    return read ? std::move(read).value() : ReadResult{};
}

/// A whole file around libraries and the nodes of the scene.
inline std::string file(const std::string& nodes, const std::string& libraries = "",
                        const std::string& asset = "<unit meter=\"1\"/><up_axis>Y_UP</up_axis>") {
    return "<COLLADA version=\"1.4.1\"><asset>" + asset + "</asset>" + libraries +
           "<library_visual_scenes><visual_scene id=\"s\">" + nodes +
           "</visual_scene></library_visual_scenes><scene><instance_visual_scene "
           "url=\"#s\"/></scene></COLLADA>";
}

inline std::string source(const std::string& id, const std::string& numbers, int count,
                          int stride) {
    std::string params;
    for (int i = 0; i < stride; ++i) params += "<param name=\"P\"/>";
    return fmt::format(
        "<source id=\"{0}\"><float_array id=\"{0}a\" count=\"{2}\">{1}</float_array>"
        "<technique_common><accessor source=\"#{0}a\" count=\"{3}\" stride=\"{4}\">{5}</accessor>"
        "</technique_common></source>",
        id, numbers, count * stride, count, stride, params);
}

struct Keys {
    std::string times, values, kinds;
    int count = 2, stride = 1;
    std::string before = {}, after = {};  // tangents
    int tangent_stride = 2;
};

/// One animation with one channel, its ids beginning with `id`.
inline std::string animation(const std::string& id, const std::string& target, const Keys& k) {
    std::string inputs, sources = source(id + "i", k.times, k.count, 1) +
                                  source(id + "o", k.values, k.count, k.stride);
    if (!k.before.empty()) {
        sources += source(id + "b", k.before, k.count, k.tangent_stride) +
                   source(id + "f", k.after, k.count, k.tangent_stride);
        inputs = "<input semantic=\"IN_TANGENT\" source=\"#" + id +
                 "b\"/><input semantic=\"OUT_TANGENT\" source=\"#" + id + "f\"/>";
    }
    return "<animation id=\"" + id + "\">" + sources + "<source id=\"" + id + "k\"><Name_array>" +
           k.kinds + "</Name_array></source><sampler id=\"" + id +
           "s\"><input semantic=\"INPUT\" source=\"#" + id +
           "i\"/><input semantic=\"OUTPUT\" source=\"#" + id + "o\"/>" + inputs +
           "<input semantic=\"INTERPOLATION\" source=\"#" + id +
           "k\"/></sampler><channel source=\"#" + id + "s\" target=\"" + target +
           "\"/></animation>";
}

inline std::string animations(const std::string& all) {
    return "<library_animations>" + all + "</library_animations>";
}

inline bool says(const ReadResult& read, Code code, const std::string& part) {
    for (const Finding& f : read.findings)
        if (f.code == code && to_text(f).find(part) != std::string::npos) return true;
    return false;
}

inline const char* const kBox =
    "<library_geometries><geometry id=\"g\" name=\"lid\"><mesh>"
    "<source id=\"p\"><float_array id=\"pa\">0 0 0 2 0 0 2 2 0 0 2 0</float_array>"
    "<technique_common><accessor source=\"#pa\" count=\"4\" stride=\"3\"><param name=\"X\"/><param "
    "name=\"Y\"/><param name=\"Z\"/></accessor></technique_common></source>"
    "<vertices id=\"v\"><input semantic=\"POSITION\" source=\"#p\"/></vertices>{}</mesh></geometry>"
    "</library_geometries>";

inline std::string box(const std::string& parts) {
    std::string text = kBox;
    return text.replace(text.find("{}"), 2, parts);
}

class ColladaSurface : public testing::TestWithParam<std::pair<const char*, double>> {};

/// Two joints a (at 1 0 0) and b (above it by 0 2 0), and a shape skinned to them.
inline std::string skinned(const std::string& counts, const std::string& pairs,
                           const std::string& weights,
                           const std::string& skeleton = "<skeleton>#root</skeleton>",
                           const std::string& morph = "") {
    const std::string binds = "1 0 0 -1 0 1 0 0 0 0 1 0 0 0 0 1  1 0 0 -1 0 1 0 -2 0 0 1 0 0 0 0 1";
    const auto count = 1 + static_cast<int>(std::count(weights.begin(), weights.end(), ' '));
    return file(
        "<node id=\"root\" sid=\"root\"><node id=\"ja\" sid=\"a\" name=\"arm\" "
        "type=\"JOINT\"><translate "
        "sid=\"t\">1 0 0</translate><rotate sid=\"r\">0 0 1 0</rotate><node id=\"jb\" sid=\"b\" "
        "name=\"hand\"><translate>0 2 0</translate></node></node></node><node "
        "id=\"skin\"><translate>9 "
        "9 9</translate><instance_controller url=\"#c\">" +
            skeleton + "</instance_controller></node>",
        box("<triangles><input semantic=\"VERTEX\" source=\"#v\" offset=\"0\"/><p>0 1 2 0 2 "
            "3</p></triangles>") +
            "<library_controllers>" + morph + "<controller id=\"c\"><skin source=\"" +
            (morph.empty() ? "#g" : "#mc") +
            "\"><bind_shape_matrix>2 0 0 0 0 2 0 0 0 0 2 0 0 0 0 1</bind_shape_matrix><source "
            "id=\"cj\"><Name_array>a b</Name_array></source>" +
            source("cb", binds, 2, 16) + source("cw", weights, count, 1) +
            "<joints><input semantic=\"JOINT\" source=\"#cj\"/><input semantic=\"INV_BIND_MATRIX\" "
            "source=\"#cb\"/></joints><vertex_weights><input semantic=\"JOINT\" source=\"#cj\" "
            "offset=\"0\"/><input semantic=\"WEIGHT\" source=\"#cw\" offset=\"1\"/><vcount>" +
            counts + "</vcount><v>" + pairs +
            "</v></vertex_weights></skin></controller>"
            "</library_controllers>" +
            animations(animation("m", "ja/r.ANGLE", {"0 1", "0 90", "LINEAR LINEAR"})));
}

}  // namespace mellow::test
