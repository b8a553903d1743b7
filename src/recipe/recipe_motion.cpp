#include "recipe/recipe_motion.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>

#include "rig/sheet_words.h"

namespace mellow {
namespace {

/// A table of ahead, left and up, inside: +Z is ahead, +X left. True where it has other keys or
/// what is no number, which is then told.
bool read_steps(TomlTable& t, const char* key, Vec3& out) {
    const toml::table* table = t.table(key);
    if (table == nullptr) return true;
    TomlTable in = t.inner(*table, key);
    out.z = read_within(in, "ahead", 0, -1e6, 1e6);
    out.x = read_within(in, "left", 0, -1e6, 1e6);
    out.y = read_within(in, "up", 0, -1e6, 1e6);
    const std::vector<std::string> keys = in.keys();
    in.close();
    return in.failed({"ahead", "left", "up"}) ||
           std::any_of(keys.begin(), keys.end(), [](const std::string& k) {
               return k != "ahead" && k != "left" && k != "up";
           });
}

RecipePlane read_plane(TomlTable& t) {
    RecipePlane out;
    out.where = t.where("");
    out.plane.name = t.text("name");
    t.knows({"at", "faces"});
    Vec3 faces;
    if (t.has("at")) (void)read_steps(t, "at", out.plane.at);
    // Where that is told already it is the mistake.
    const bool given = t.has("faces") && read_steps(t, "faces", faces);
    if (const double far = length(faces); far > 0)
        out.plane.faces = faces * (1 / far);
    else if (!given && !t.failed({"faces"}) && !t.mistyped("faces"))
        t.fail(t.has("faces") ? Code::kValueBad : Code::kKeyMissing, "faces",
               t.has("faces") ? "no way at all" : "no faces",
               "the side of the plane on which joints may be", "faces = { ahead = -1 }");
    out.joints = t.texts("joints", {});
    out.clips = t.texts("clips", {});
    t.close();
    return out;
}

}  // namespace

void read_motion_checks(TomlTable& t, RecipeMotion& m) {
    m.where = t.where("");
    if (t.has("feet")) m.feet = t.texts("feet", {});
    if (t.has("wheels")) m.wheels = t.texts("wheels", {});
    t.knows({"feet", "wheels"});
    m.wheel_share = read_within(t, "wheel_share", m.wheel_share, 0, 1);
    m.rules.ground_m = read_within(t, "ground", 0, -1e4, 1e4);
    m.slide_mm = read_within(t, "slide_mm", m.slide_mm, 0.1, 1e6);
    m.depth_mm = read_within(t, "depth_mm", m.depth_mm, 0.1, 1e6);
    m.pop_mm = read_within(t, "pop_mm", m.pop_mm, 0.1, 1e6);
    m.still_mm = read_within(t, "still_mm", m.still_mm, 0, 1e6);
    m.still_degrees = read_within(t, "still_degrees", m.still_degrees, 0, 180);
    m.plane_mm = read_within(t, "plane_mm", m.plane_mm, 0, 1e6);
    m.cues = t.flag("cues", false);
    const auto planes = t.tables("plane");
    std::set<std::string> names;
    for (std::size_t i = 0; i < planes.size(); ++i) {
        TomlTable p = t.within(*planes[i], fmt::format("motion.plane {}", i + 1));
        m.planes.push_back(read_plane(p));
        const std::string& name = m.planes.back().plane.name;
        if (!name.empty() && !names.insert(name).second)
            p.fail(Code::kNameClash, "name", fmt::format("a second plane \"{}\"", name),
                   "one name per plane", "");
    }
}

}  // namespace mellow
