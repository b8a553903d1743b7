// BVH: the hierarchy with its channels, then one line of numbers per sample.
#include <fmt/format.h>

#include <cmath>
#include <iterator>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "math/degrees.h"
#include "mellow/write.h"

namespace mellow {
namespace {

constexpr std::string_view kPlaces = "Xposition Yposition Zposition";

std::string bvh_name(std::string name) {
    for (char& c : name)
        if (c == ' ' || c == '\t' || c == '\n' || c == '\r' || c == '{' || c == '}') c = '_';
    return name;
}

/// Place and rotation of each joint in its parent, scale taken into the places.
class PlainPose {
  public:
    explicit PlainPose(const Skeleton& skeleton)
        : skeleton_(skeleton), worlds_(at(skeleton.size())), turns_(at(skeleton.size())) {}

    template <class LocalOf>
    void set(const LocalOf& local_of, std::vector<Transform>& plain) {
        plain.resize(worlds_.size());
        for (int j = 0; j < skeleton_.size(); ++j) {
            const Transform local = local_of(j);
            const int p = skeleton_[j].parent;
            if (p < 0) {
                worlds_[at(j)] = to_affine(local);
                turns_[at(j)] = local.r;
                plain[at(j)] = {local.t, local.r, {1, 1, 1}};
                continue;
            }
            worlds_[at(j)] = worlds_[at(p)] * to_affine(local);
            const Quat back = conjugate(turns_[at(p)]);
            turns_[at(j)] = local.s == Vec3{1, 1, 1} && even_above(p) ? turns_[at(p)] * local.r
                                                                      : rotation_of(worlds_[at(j)]);
            plain[at(j)] = {rotate(back, worlds_[at(j)].o - worlds_[at(p)].o),
                            normalized(back * turns_[at(j)]),
                            {1, 1, 1}};
        }
    }

  private:
    /// True when the world matrix of a joint is a rotation.
    bool even_above(int joint) const {
        const Affine& m = worlds_[at(joint)];
        return std::abs(length(m.x) - 1) < 1e-6 && std::abs(length(m.y) - 1) < 1e-6 &&
               std::abs(length(m.z) - 1) < 1e-6;
    }

    const Skeleton& skeleton_;
    std::vector<Affine> worlds_;
    std::vector<Quat> turns_;
};

class BvhWriter {
  public:
    BvhWriter(const Skeleton& skeleton, const Clip& clip, const Conversion& out,
              const BvhOptions& options)
        : skeleton_(skeleton), clip_(clip), out_(out), options_(options) {}

    Result<BvhText> run() {
        MELLOW_CHECK(check_names());
        children_.resize(at(skeleton_.size()));
        for (int j = 0; j < skeleton_.size(); ++j)
            if (skeleton_[j].parent >= 0) children_[at(skeleton_[j].parent)].push_back(j);
        evaluate();
        text_.text = "HIERARCHY\n";
        for (int j = 0; j < skeleton_.size(); ++j)
            if (skeleton_[j].parent < 0) joint(j, 0);
        motion();
        say_losses();
        return std::move(text_);
    }

  private:
    Status check_names() const {
        std::set<std::string> names;
        for (const Joint& j : skeleton_.joints())
            if (!names.insert(bvh_name(j.name)).second)
                return Finding{Code::kNameClash,
                               Severity::kStop,
                               Place::of("joint \"" + j.name + "\""),
                               "a second joint \"" + bvh_name(j.name) + "\"",
                               "names that differ without spaces",
                               "rename it in the source"};
        return {};
    }

    /// All samples as places and rotations in the target, and which joints need position channels.
    void evaluate() {
        PlainPose pose(skeleton_);
        pose.set([&](int j) { return skeleton_[j].rest; }, rest_);
        places_.assign(rest_.size(), false);
        samples_.resize(at(clip_.samples));
        for (int k = 0; k < clip_.samples; ++k) {
            auto& plain = samples_[at(k)];
            pose.set([&](int j) { return local_at(clip_.joints[at(j)], k); }, plain);
            for (int j = 0; j < skeleton_.size(); ++j)
                places_[at(j)] = places_[at(j)] || skeleton_[j].parent < 0 ||
                                 length(plain[at(j)].t - rest_[at(j)].t) > 1e-6;
        }
    }

    EulerOrder order_of(int j) const {
        const auto own = options_.orders.find(skeleton_[j].name);
        return own == options_.orders.end() ? options_.order : own->second;
    }

    void line(int depth, std::string_view words) {
        text_.text.append(at(2 * depth), ' ').append(words).append("\n");
    }

    /// In the target, without the dust that rounding leaves where a zero should be.
    static Vec3 clean(Vec3 p) {
        const auto dusted = [](double v) { return std::abs(v) < 1e-9 ? 0.0 : v; };
        return {dusted(p.x), dusted(p.y), dusted(p.z)};
    }

    void offset(int depth, Vec3 place) {
        const Vec3 p = clean(out_.point(place));
        line(depth, fmt::format("OFFSET {:.9g} {:.9g} {:.9g}", p.x, p.y, p.z));
    }

    void joint(int j, int depth) {
        listed_.push_back(j);
        line(depth,
             fmt::format("{} {}", depth == 0 ? "ROOT" : "JOINT", bvh_name(skeleton_[j].name)));
        line(depth, "{");
        // Some readers add places to OFFSET, some put them in its place: with none, both agree.
        offset(depth + 1, places_[at(j)] ? Vec3{} : rest_[at(j)].t);
        const std::string_view order = name(order_of(j));
        const std::string turns =
            fmt::format("{}rotation {}rotation {}rotation", order[0], order[1], order[2]);
        line(depth + 1, places_[at(j)] ? fmt::format("CHANNELS 6 {} {}", kPlaces, turns)
                                       : "CHANNELS 3 " + turns);
        for (const int child : children_[at(j)]) joint(child, depth + 1);
        if (children_[at(j)].empty()) {
            const auto tip = options_.tips.find(skeleton_[j].name);
            line(depth + 1, "End Site");
            line(depth + 1, "{");
            offset(depth + 2, tip == options_.tips.end() ? Vec3{} : tip->second);
            line(depth + 1, "}");
        }
        line(depth, "}");
    }

    void motion() {
        line(0, "MOTION");
        line(0, fmt::format("Frames: {}", clip_.samples));
        line(0, fmt::format("Frame Time: {:.9g}", clip_.rate.seconds(1)));
        std::vector<EulerAngles> angles(rest_.size(), EulerAngles{});
        for (const auto& plain : samples_) {
            for (const int j : listed_) {
                const Transform t = out_.transform(plain[at(j)]);
                auto to = std::back_inserter(text_.text);
                if (j != listed_.front()) fmt::format_to(to, " ");
                const Vec3 p = clean(t.t);
                if (places_[at(j)]) fmt::format_to(to, "{:.9g} {:.9g} {:.9g} ", p.x, p.y, p.z);
                angles[at(j)] = to_euler(t.r, order_of(j), angles[at(j)]);
                const double k = kDegrees;
                fmt::format_to(to, "{:.9g} {:.9g} {:.9g}", angles[at(j)][0] * k,
                               angles[at(j)][1] * k, angles[at(j)][2] * k);
            }
            text_.text += "\n";
        }
    }

    void say_losses() {
        std::vector<std::string> moved;
        for (int j = 0; j < skeleton_.size(); ++j)
            if (places_[at(j)] && length(rest_[at(j)].t) > 1e-6) moved.push_back(skeleton_[j].name);
        if (!moved.empty())
            text_.findings.push_back(
                {Code::kLeftOut, Severity::kNote, "OFFSET",
                 fmt::format("{} joints whose place moves: {}", moved.size(), name_list(moved)),
                 "OFFSET 0 and all of the place in the channels, which every reader takes alike",
                 "nothing; their place at rest is not in the file"});
        for (const MorphTrack& morph : clip_.morphs)
            text_.findings.push_back(
                {Code::kLeftOut, Severity::kWarning, Place::of("mesh \"" + morph.mesh + "\""),
                 fmt::format("{} morph weights", morph.targets.size()),
                 "a skeleton: BVH holds nothing else", "write glTF to keep them"});
        for (int j = 0; j < skeleton_.size(); ++j) {
            double most = 0;
            for (const float s : clip_.joints[at(j)].scale)
                most = std::max(most, std::abs(static_cast<double>(s) - 1));
            if (most > 1e-4)
                text_.findings.push_back(
                    {Code::kLeftOut, Severity::kWarning,
                     Place::of(
                         fmt::format("clip \"{}\", joint \"{}\"", clip_.name, skeleton_[j].name)),
                     fmt::format("a scale that differs from 1 by up to {:.3g}", most),
                     "scale 1: BVH has no scale; places below it are kept",
                     "write glTF to keep it"});
        }
    }

    const Skeleton& skeleton_;
    const Clip& clip_;
    const Conversion& out_;
    const BvhOptions& options_;
    BvhText text_;
    std::vector<std::vector<int>> children_;
    std::vector<int> listed_;  // joints in the order of the file
    std::vector<Transform> rest_;
    std::vector<bool> places_;
    std::vector<std::vector<Transform>> samples_;
};

}  // namespace

Result<BvhText> write_bvh(const Skeleton& skeleton, const Clip& clip, const Conversion& out,
                          const BvhOptions& options) {
    return BvhWriter(skeleton, clip, out, options).run();
}

}  // namespace mellow
