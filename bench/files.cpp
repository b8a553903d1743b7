#include "files.h"

#include <fmt/format.h>
#include <unistd.h>

#include <cmath>
#include <fstream>

#include "mellow/write.h"

namespace mellow::bench {
namespace {

struct Folder {
    std::filesystem::path path =
        std::filesystem::temp_directory_path() / fmt::format("mellow-bench-{}", ::getpid());
    Folder() { std::filesystem::create_directories(path); }
    ~Folder() {
        std::error_code ignored;
        std::filesystem::remove_all(path, ignored);
    }
};

double angle(int joint, int frame, int member) {
    return 60 * std::sin(0.01 * frame * (1 + joint % 7) + joint + 2 * member);
}

std::string saved(const std::string& name, const std::string& text) {
    const auto path = folder() / name;
    std::ofstream(path, std::ios::binary) << text;
    return path.string();
}

std::string bvh(int joints, int frames) {
    std::string head = "HIERARCHY\n", tail;
    for (int j = 0; j < joints; ++j) {
        head += fmt::format("{} j{}\n{{\nOFFSET 0 10 0\nCHANNELS {}Zrotation Xrotation Yrotation\n",
                            j == 0 ? "ROOT" : "JOINT", j,
                            j == 0 ? "6 Xposition Yposition Zposition " : "3 ");
        tail += "}\n";
    }
    std::string text = head + "End Site\n{\nOFFSET 0 5 0\n}\n" + tail +
                       fmt::format("MOTION\nFrames: {}\nFrame Time: 0.0083333\n", frames);
    auto out = std::back_inserter(text);
    for (int f = 0; f < frames; ++f) {
        fmt::format_to(out, "{:.6f} {:.6f} {:.6f}", 0.1 * f, 90.0, angle(1, f, 0));
        for (int j = 0; j < joints; ++j)
            for (int m = 0; m < 3; ++m) fmt::format_to(out, " {:.6f}", angle(j, f, m));
        text += '\n';
    }
    return text;
}

}  // namespace

const std::filesystem::path& folder() {
    static const Folder kept;
    return kept.path;
}

const std::string& big_bvh() {
    static const std::string path = saved("big.bvh", bvh(60, 27000));
    return path;
}

const std::string& many_bvh() {
    static const std::string path = [] {
        std::filesystem::create_directories(folder() / "many");
        const std::string text = bvh(60, 1100);
        for (int i = 0; i < 24; ++i) saved(fmt::format("many/{}.bvh", i), text);
        return (folder() / "many").string();
    }();
    return path;
}

const std::string& big_collada() {
    static const std::string path = [] {
        constexpr int kJoints = 100, kFrames = 8000;
        std::string text =
            "<?xml version=\"1.0\"?><COLLADA "
            "xmlns=\"http://www.collada.org/2005/11/COLLADASchema\" "
            "version=\"1.4.1\"><asset><unit meter=\"0.01\"/><up_axis>Y_UP</up_axis></asset>"
            "<library_animations>\n";
        auto out = std::back_inserter(text);
        const auto open = [&](const std::string& id, int count) {
            fmt::format_to(out, "<source id=\"{0}\"><float_array id=\"{0}-a\" count=\"{1}\">", id,
                           count);
        };
        const auto close = [&](const std::string& id, int count) {
            fmt::format_to(
                out,
                "</float_array><technique_common><accessor source=\"#{}-a\" count=\"{}\" "
                "stride=\"1\"><param name=\"P\" type=\"float\"/></accessor>"
                "</technique_common></source>\n",
                id, count);
        };
        for (int j = 0; j < kJoints; ++j)
            for (int m = 0; m < 3; ++m) {
                const std::string id = fmt::format("c{}-{}", j, m);
                text += "<animation>";
                open(id + "-i", kFrames);
                for (int f = 0; f < kFrames; ++f) fmt::format_to(out, "{:.6f} ", f / 30.0);
                close(id + "-i", kFrames);
                open(id + "-o", kFrames);
                for (int f = 0; f < kFrames; ++f) fmt::format_to(out, "{:.6f} ", angle(j, f, m));
                close(id + "-o", kFrames);
                fmt::format_to(
                    out,
                    "<source id=\"{0}-k\"><Name_array id=\"{0}-ka\" count=\"1\">LINEAR</Name_array>"
                    "</source><sampler id=\"{0}-s\"><input semantic=\"INPUT\" source=\"#{0}-i\"/>"
                    "<input semantic=\"OUTPUT\" source=\"#{0}-o\"/><input "
                    "semantic=\"INTERPOLATION\" "
                    "source=\"#{0}-k\"/></sampler><channel source=\"#{0}-s\" "
                    "target=\"j{1}/r{2}.ANGLE\"/>"
                    "</animation>\n",
                    id, j, m);
            }
        text += "</library_animations><library_visual_scenes><visual_scene id=\"s\">";
        for (int j = 0; j < kJoints; ++j)
            fmt::format_to(out,
                           "<node id=\"j{}\" type=\"JOINT\"><translate>0 1 0</translate><rotate "
                           "sid=\"r0\">0 0 1 0</rotate><rotate sid=\"r1\">0 1 0 0</rotate><rotate "
                           "sid=\"r2\">1 0 0 0</rotate>",
                           j);
        for (int j = 0; j < kJoints; ++j) text += "</node>";
        text +=
            "</visual_scene></library_visual_scenes><scene><instance_visual_scene url=\"#s\"/>"
            "</scene></COLLADA>\n";
        return saved("big.dae", text);
    }();
    return path;
}

const std::string& big_glb() {
    static const std::string path = [] {
        constexpr int kClips = 200, kJoints = 100, kFrames = 60;
        Scene scene;
        scene.rate = {30, 1};
        for (int j = 0; j < kJoints; ++j) {
            Node node;
            node.name = fmt::format("joint_{}", j);
            node.parent = j - 1;
            node.local.t = {0, 0.1, 0};
            scene.nodes.push_back(std::move(node));
        }
        scene.roots = {0};
        std::vector<double> times;
        for (int f = 0; f < kFrames; ++f) times.push_back(scene.rate.seconds(f));
        for (int c = 0; c < kClips; ++c) {
            Timeline timeline;
            timeline.name = fmt::format("clip_{}", c);
            for (int j = 0; j < kJoints; ++j) {
                Channel place{j, Path::kTranslation, {Interpolation::kLinear, 3, times, {}}};
                Channel turn{j, Path::kRotation, {Interpolation::kLinear, 4, times, {}}};
                for (int f = 0; f < kFrames; ++f) {
                    const double a = 0.01 * angle(j + c, f, 0);
                    place.curve.values.append({0.01 * a, 0.1, 0.0});
                    turn.curve.values.append({std::sin(a / 2), 0.0, 0.0, std::cos(a / 2)});
                }
                timeline.channels.push_back(std::move(place));
                timeline.channels.push_back(std::move(turn));
            }
            scene.timelines.push_back(std::move(timeline));
        }
        const auto bytes = write_glb(scene);
        return saved("big.glb", {bytes.begin(), bytes.end()});
    }();
    return path;
}

}  // namespace mellow::bench
