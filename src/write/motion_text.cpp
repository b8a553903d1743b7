#include "mellow/motion_text.h"

#include <fmt/format.h>

#include <iterator>
#include <set>

#include "base/at.h"

namespace mellow {
namespace {

constexpr const char* kInterpolations[] = {"step", "linear", "cubic"};

std::string quoted(const std::string& text) {
    std::string out = "\"";
    for (const char c : text) {
        if (c == '"' || c == '\\') out += '\\';
        out += c == '\n' ? "\\n" : c == '\r' ? "\\r" : std::string(1, c);
    }
    return out + "\"";
}

bool is_single(double v) { return static_cast<double>(static_cast<float>(v)) == v; }

class MotionText {
  public:
    explicit MotionText(const Scene& scene) : scene_(scene) {}

    std::string run() {
        single_ = all_single();
        const Convention& c = scene_.convention;
        out_ = fmt::format("{}\nup {} front {} hand {} unit {}\n", kMotionTextHead, name(c.up),
                           name(c.front), name(c.hand), c.metres_per_unit);
        if (scene_.rate_known) out_ += fmt::format("rate {}\n", to_text(scene_.rate));
        out_ += single_ ? "numbers single\n" : "numbers double\n";
        for (const int n : parents_first(scene_)) node(scene_.nodes[at(n)]);
        for (const Timeline& timeline : scene_.timelines) {
            out_ += "timeline " + quoted(timeline.name) + "\n";
            if (!timeline.extras.empty()) out_ += "extras " + timeline.extras + "\n";
            for (const Channel& moved : timeline.channels) channel(moved);
            for (const MorphCurve& morph : timeline.morphs)
                weights(morph.mesh, morph.targets, morph.curve);
            for (const ScalarCurve& scalar : timeline.scalars) {
                out_ += "scalar " + quoted(scalar.name) + " " + quoted(scalar.unit);
                curve(scalar.curve);
            }
        }
        return std::move(out_);
    }

  private:
    bool all_single() const {
        const auto good = [](const auto& list) {
            for (std::size_t i = 0; i < list.size(); ++i)
                if (!is_single(list[i])) return false;
            return true;
        };
        const auto both = [&](const Curve& c) { return good(c.times) && good(c.values); };
        for (const Timeline& timeline : scene_.timelines) {
            for (const Channel& c : timeline.channels)
                if (!both(c.curve)) return false;
            for (const MorphCurve& c : timeline.morphs)
                if (!both(c.curve)) return false;
            for (const ScalarCurve& c : timeline.scalars)
                if (!both(c.curve)) return false;
        }
        return true;
    }

    void number(double v) {
        if (single_)
            fmt::format_to(std::back_inserter(out_), " {}", static_cast<float>(v));
        else
            fmt::format_to(std::back_inserter(out_), " {}", v);
    }

    void node(const Node& n) {
        out_ += "node " + quoted(n.name);
        if (n.parent != kNone) out_ += " under " + quoted(scene_.nodes[at(n.parent)].name);
        const Transform& t = n.local;
        out_ += "\n ";
        for (const double v :
             {t.t.x, t.t.y, t.t.z, t.r.x, t.r.y, t.r.z, t.r.w, t.s.x, t.s.y, t.s.z})
            fmt::format_to(std::back_inserter(out_), " {}", v);
        out_ += "\n";
    }

    void channel(const Channel& c) {
        const Node& n = scene_.nodes[at(c.node)];
        if (c.path == Path::kWeights)
            return weights(n.name, scene_.meshes[at(n.mesh)].target_names, c.curve);
        out_ += fmt::format("track {} {}", quoted(n.name), mellow::name(c.path));
        curve(c.curve);
    }

    void weights(const std::string& mesh, const std::vector<std::string>& targets,
                 const Curve& keys) {
        out_ += "weights " + quoted(mesh);
        for (const std::string& target : targets) out_ += " " + quoted(target);
        curve(keys);
    }

    void curve(const Curve& c) {
        out_ += fmt::format(" {}\n", kInterpolations[static_cast<std::size_t>(c.interpolation)]);
        const std::size_t row = c.times.empty() ? 0 : c.values.size() / c.times.size();
        for (std::size_t k = 0; k < c.times.size(); ++k) {
            out_ += ' ';
            number(c.times[k]);
            for (std::size_t i = 0; i < row; ++i) number(c.values[k * row + i]);
            out_ += "\n";
        }
    }

    const Scene& scene_;
    bool single_ = false;
    std::string out_;
};

}  // namespace

Result<std::string> write_motion_text(Scene scene) {
    compose_stacks(scene);
    std::set<std::string> names;
    for (const Node& n : scene.nodes)
        if (!names.insert(n.name).second)
            return Finding{Code::kNameClash,
                           Severity::kStop,
                           Place::of("node \"" + n.name + "\""),
                           "a second node of that name",
                           "one name per node, by which the text refers to it",
                           "rename it in the source"};
    const std::vector<bool> sheared = sheared_nodes(scene);
    for (std::size_t n = 0; n < sheared.size(); ++n)
        if (sheared[n])
            return Finding{Code::kShear,
                           Severity::kStop,
                           Place::of("node \"" + scene.nodes[n].name + "\""),
                           "shear",
                           "place, rotation and scale, which is what the text has",
                           "pack it: packing measures what is lost"};
    return MotionText(scene).run();
}

}  // namespace mellow
