// A target as the text of its file; declared in target_table.h.
#include <fmt/format.h>

#include "math/degrees.h"
#include "recipe/target_table.h"

namespace mellow {
namespace {

std::string quoted(const std::string& text) {
    std::string out = "\"";
    for (const char c : text) {
        const auto u = static_cast<unsigned char>(c);
        if (c == '"' || c == '\\')
            out += fmt::format("\\{}", c);
        else if (u < 0x20 || u == 0x7F)
            out += fmt::format("\\u{:04X}", static_cast<unsigned>(u));
        else
            out += c;
    }
    return out + "\"";
}

class TargetText {
  public:
    explicit TargetText(const Target& target) : t_(target) {}

    std::string run() {
        const Convention& c = t_.convention;
        line("up", quoted(std::string(name(c.up))));
        line("front", quoted(std::string(name(c.front))));
        line("hand", quoted(std::string(name(c.hand))));
        line("unit", fmt::format("{}", c.metres_per_unit));
        line("rate", quoted(to_text(t_.rate)));
        if (!t_.rates.empty()) {
            std::vector<std::string> rates;
            for (const FrameRate rate : t_.rates) rates.push_back(quoted(to_text(rate)));
            line("rates", fmt::format("[{}]", fmt::join(rates, ", ")));
        }
        line("loop_form", quoted(std::string(name(t_.loop_form))));
        if (t_.first_frame != 0) line("first_frame", std::to_string(t_.first_frame));
        if (t_.rest_first) line("first_pose", quoted("rest"));
        if (t_.starts_at_rest) line("starts_at_rest", "true");
        if (t_.starts_ahead_rad)
            line("starts_ahead", fmt::format("{:.12g}", *t_.starts_ahead_rad * kDegrees));
        rest();
        joints();
        files();
        rules();
        return std::move(out_);
    }

  private:
    void line(const std::string& key, const std::string& value) {
        out_ += key + " = " + value + "\n";
    }

    void list(const std::string& key, const std::vector<std::string>& texts) {
        if (texts.empty()) return;
        std::vector<std::string> all;
        for (const std::string& text : texts) all.push_back(quoted(text));
        line(key, fmt::format("[{}]", fmt::join(all, ", ")));
    }

    void rest() {
        const RestRule& rest = t_.rest;
        if (rest.from == RestRule::From::kSource) return;
        const bool frame = rest.from == RestRule::From::kFrame;
        line("rest", quoted(frame ? "frame" : "list"));
        if (frame && !rest.timeline.empty()) line("rest_timeline", quoted(rest.timeline));
        if (frame) line("rest_frame", fmt::format("{}", rest.frame));
        if (rest.posed) line("rest_skin", quoted("posed"));
    }

    void joints() {
        if (!t_.joints.list.joints.empty()) line("joints", quoted("joints.txt"));
        if (t_.joints.drop_surplus) line("surplus", quoted("drop"));
        if (t_.joints.fill_missing) line("missing", quoted("fill"));
        if (t_.joints.most > 0) line("most_joints", std::to_string(t_.joints.most));
        if (!t_.root.empty()) line("root", quoted(t_.root));
        if (t_.influences > 0) line("influences", std::to_string(t_.influences));
        if (t_.most_vertices > 0) line("most_vertices", std::to_string(t_.most_vertices));
        if (t_.vertices > 0) line("vertices", std::to_string(t_.vertices));
        if (!t_.cameras) line("cameras", quoted("leave-out"));
        if (!t_.statics) line("statics", quoted("leave-out"));
        if (!t_.lights) line("lights", quoted("stop"));
        if (t_.height_m)
            line("height", fmt::format("[{}, {}]", (*t_.height_m)[0], (*t_.height_m)[1]));
        if (t_.pictures != Pictures::kEmbedded)
            line("textures", quoted(t_.pictures == Pictures::kBeside ? "beside" : "none"));
        if (t_.triangulate) line("triangulate", "true");
        line("most_samples", std::to_string(t_.most_samples));
    }

    void files() {
        line("layout", quoted(std::string(name(t_.layout))));
        line("format", quoted(std::string(name(t_.clip_format))));
        line("skin_format", quoted(std::string(name(t_.skin_format))));
        line("skin_name", quoted(t_.skin_name));
        line("clip_name", quoted(t_.clip_name));
        line("library_name", quoted(t_.library_name));
        if (t_.names.letters != NameRule::Case::kKeep)
            line("name_case",
                 quoted(t_.names.letters == NameRule::Case::kLower ? "lower" : "upper"));
        line("name_allowed", quoted(t_.names.allowed));
        line("name_replace", quoted(t_.names.replace));
        if (t_.ids) line("ids", fmt::format("[{}, {}]", (*t_.ids)[0], (*t_.ids)[1]));
        list("clips", t_.clips.names);
        list("clip_groups", t_.clips.groups);
        list("clips_left_out", t_.clips.left_out);
    }

    void rules() {
        if (!t_.joints.renames.empty()) out_ += "[rename]\n";
        for (const auto& [from, to] : t_.joints.renames) line(quoted(from), quoted(to));
        for (const RootRule& rule : t_.roots) {
            out_ += "[[root_carries]]\n";
            list("clips", rule.names);
            list("groups", rule.groups);
            std::vector<std::string> parts;
            for (const auto& [has, name] :
                 {std::pair(rule.ground, "ground"), std::pair(rule.height, "height"),
                  std::pair(rule.heading, "heading")})
                if (has) parts.push_back(quoted(name));
            line("travel", fmt::format("[{}]", fmt::join(parts, ", ")));
        }
        constexpr const char* kFates[] = {"keep", "bake", "drop"};
        for (const MorphRule& rule : t_.morphs) {
            out_ += "[[morphs]]\n";
            line("match", quoted(rule.pattern));
            line("do", quoted(kFates[static_cast<std::size_t>(rule.fate)]));
        }
    }

    const Target& t_;
    std::string out_;
};

}  // namespace

std::string target_toml(const Target& target) { return TargetText(target).run(); }

std::string joint_list_text(const JointList& list) {
    std::string out;
    std::vector<int> depth;
    for (const ListedJoint& joint : list.joints) {
        depth.push_back(joint.parent < 0 ? 0 : depth[static_cast<std::size_t>(joint.parent)] + 1);
        out += std::string(static_cast<std::size_t>(2 * depth.back()), ' ') + joint.name;
        if (joint.place)
            out += fmt::format(" {} {} {}", joint.place->x, joint.place->y, joint.place->z);
        out += "\n";
    }
    return out;
}

}  // namespace mellow
