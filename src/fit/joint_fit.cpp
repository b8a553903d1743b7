#include "mellow/joint_fit.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/at.h"
#include "base/text.h"

namespace mellow {
namespace {

/// Where the list has a joint counts as its place up to this, and a two-hundredth of its length.
constexpr double kListedPlace_m = 1e-3;

std::vector<std::string> with_near(const std::vector<std::string>& names,
                                   const std::vector<std::string>& others) {
    std::vector<std::string> out;
    for (const std::string& name : names) {
        const std::string near = nearest_name(name, others);
        out.push_back(near.empty() ? name : fmt::format("{} (near: {})", name, near));
    }
    return out;
}

class JointFitter {
  public:
    JointFitter(const Skeleton& figure, const JointRules& rules, const Convention& listed)
        : figure_(figure), rules_(rules), in_(listed, {}) {
        fit_.same = true;
    }

    Result<JointFit> run() {
        MELLOW_CHECK(rename_all());
        std::vector<Joint> joints;
        if (rules_.list.joints.empty()) {
            MELLOW_TRY(joints, own());
        } else {
            MELLOW_TRY(joints, listed());
        }
        if (rules_.most > 0 && static_cast<int>(joints.size()) > rules_.most)
            return Finding{Code::kLimit,
                           Severity::kStop,
                           rules_.where,
                           fmt::format("{} joints", joints.size()),
                           fmt::format("at most {}", rules_.most),
                           "drop joints under [joints], or name those that are wanted in a list"};
        MELLOW_TRY(fit_.skeleton, Skeleton::make(std::move(joints)));
        return std::move(fit_);
    }

  private:
    Status rename_all() {
        std::unordered_map<std::string, int> seen;
        for (int j = 0; j < figure_.size(); ++j) {
            names_.push_back(renamed(figure_[j].name, "", rules_.renames));
            const auto [have, fresh] = seen.emplace(names_.back(), j);
            if (!fresh)
                return Finding{
                    Code::kNameClash,
                    Severity::kStop,
                    rules_.where,
                    fmt::format("joints \"{}\" and \"{}\", both named \"{}\"",
                                figure_[have->second].name, figure_[j].name, names_.back()),
                    "one name per joint",
                    "correct [rename] of the target"};
        }
        return {};
    }

    bool left_out(int joint) const {
        const auto& names = rules_.left_out;
        return std::find(names.begin(), names.end(), figure_[joint].name) != names.end();
    }

    /// All joints of the figure in its order, but for those that are left out.
    Result<std::vector<Joint>> own() {
        std::vector<Joint> joints;
        std::vector<int> place(at(figure_.size()), kNone);
        for (int j = 0; j < figure_.size(); ++j) {
            if (left_out(j)) {
                fit_.same = false;
                continue;
            }
            Joint joint = figure_[j];
            joint.name = names_[at(j)];
            if (joint.parent >= 0 && (joint.parent = place[at(joint.parent)]) == kNone)
                return Finding{
                    Code::kNameClash,
                    Severity::kStop,
                    rules_.where,
                    fmt::format("joint \"{}\" hangs on one that is left out", joint.name),
                    "joints that nothing hangs on",
                    "cameras = \"keep\""};
            place[at(j)] = static_cast<int>(joints.size());
            fit_.from.push_back(j);
            fit_.same = fit_.same && names_[at(j)] == figure_[j].name;
            joints.push_back(std::move(joint));
        }
        fit_.plain.assign(joints.size(), true);
        return joints;
    }

    Status all_there() {
        std::vector<std::string> listed, missing;
        for (const ListedJoint& joint : rules_.list.joints) {
            listed.push_back(joint.name);
            if (std::find(names_.begin(), names_.end(), joint.name) == names_.end())
                missing.push_back(joint.name);
        }
        for (int j = 0; j < figure_.size(); ++j)
            if (!left_out(j) &&
                std::find(listed.begin(), listed.end(), names_[at(j)]) == listed.end())
                fit_.surplus.push_back(names_[at(j)]);
        fit_.filled = missing;
        std::vector<std::string> wrong;
        if (!rules_.drop_surplus && !fit_.surplus.empty())
            wrong.push_back(fmt::format("surplus in the figure: {}",
                                        name_list(with_near(fit_.surplus, missing))));
        if (!rules_.fill_missing && !missing.empty())
            wrong.push_back(fmt::format("missing in the figure: {}",
                                        name_list(with_near(missing, fit_.surplus))));
        if (wrong.empty() && missing.size() == listed.size())
            wrong.push_back("no joint of the list is in the figure");
        if (wrong.empty()) return {};
        return Finding{
            Code::kSkeletonDiffers,
            Severity::kStop,
            rules_.where,
            fmt::format("{} joints against {} in {}; {}", figure_.size(), listed.size(),
                        rules_.list.file, fmt::join(wrong, "; ")),
            "the joints of the list",
            "names in [rename] of the target; surplus = \"drop\" leaves joints out, missing = "
            "\"fill\" adds them at rest"};
    }

    Result<std::vector<Joint>> listed() {
        MELLOW_CHECK(all_there());
        fit_.same = static_cast<int>(rules_.list.joints.size()) == figure_.size();
        const std::vector<Affine> rest = figure_.rest_worlds();
        std::vector<Joint> joints;
        std::vector<Affine> worlds;
        for (const ListedJoint& listed : rules_.list.joints) {
            const int index = static_cast<int>(joints.size());
            const auto found = std::find(names_.begin(), names_.end(), listed.name);
            const int from =
                found == names_.end() ? kNone : static_cast<int>(found - names_.begin());
            Joint joint{listed.name, listed.parent, {}};
            const Affine above = listed.parent < 0 ? Affine{} : worlds[at(listed.parent)];
            const int own = from == kNone ? kNone : figure_[from].parent;
            const int wanted = listed.parent < 0 ? kNone : fit_.from[at(listed.parent)];
            // A filled joint above is none of the figure's, even where both are called none.
            const bool filled_above = listed.parent >= 0 && wanted == kNone;
            const bool plain = from != kNone && own == wanted && !filled_above;
            if (plain)
                joint.rest = figure_[from].rest;
            else if (from != kNone)
                joint.rest = decompose(inverse(above) * rest[at(from)]).transform;
            else
                joint.rest.t = in_.point(listed.place.value_or(Vec3{}));
            if (rules_.places_from_list && listed.place) {
                joint.rest.t = in_.point(*listed.place);
            } else if (from != kNone)
                compare(listed, from, wanted, filled_above, joint.rest);
            fit_.same = fit_.same && plain && from == index && figure_[from].name == listed.name;
            worlds.push_back(above * to_affine(joint.rest));
            fit_.from.push_back(from);
            fit_.plain.push_back(plain || from == kNone);
            joints.push_back(std::move(joint));
        }
        return joints;
    }

    /// Says what the list has elsewhere.
    void compare(const ListedJoint& listed, int from, int wanted, bool filled_above,
                 const Transform& rest) {
        int own = figure_[from].parent;  // the nearest that the list has
        while (own != kNone && std::find_if(rules_.list.joints.begin(), rules_.list.joints.end(),
                                            [&](const ListedJoint& l) {
                                                return l.name == names_[at(own)];
                                            }) == rules_.list.joints.end())
            own = figure_[own].parent;
        const auto called = [&](int joint) {
            return joint == kNone ? std::string("nothing") : names_[at(joint)];
        };
        if (own != wanted && !filled_above)
            fit_.moved.push_back(fmt::format("{} on {}, in the figure on {}", listed.name,
                                             called(wanted), called(own)));
        if (!listed.place) return;
        const double far = length(in_.point(*listed.place) - rest.t);
        if (far > std::max(kListedPlace_m, length(rest.t) / 200))
            fit_.elsewhere.push_back(fmt::format("{} {:.3g} cm away", listed.name, far * 100));
    }

    const Skeleton& figure_;
    const JointRules& rules_;
    Conversion in_;
    std::vector<std::string> names_;  ///< of the figure's joints, renamed
    JointFit fit_;
};

/// Rounding of single precision leaves as much.
constexpr double kNoShear = 1e-5;

/// World matrices of all joints of a clip at one sample.
void worlds_at(const Clip& clip, const Skeleton& skeleton, int sample, std::vector<Affine>& out) {
    out.resize(at(skeleton.size()));
    for (int j = 0; j < skeleton.size(); ++j) {
        const Affine local = to_affine(local_at(clip.joints[at(j)], sample));
        const int up = skeleton[j].parent;
        out[at(j)] = up < 0 ? local : out[at(up)] * local;
    }
}

JointTrack rest_track(const Transform& rest, int samples) {
    std::vector<JointTrack> track = make_tracks(1, samples);
    for (int k = 0; k < samples; ++k) store(track[0], k, rest);
    return std::move(track[0]);
}

/// Puts the quaternion of a sample on the side of the one before.
void keep_side(JointTrack& track, int sample) {
    if (sample == 0) return;
    float* q = &track.rotation[at(4 * sample)];
    const float* before = q - 4;
    if (q[0] * before[0] + q[1] * before[1] + q[2] * before[2] + q[3] * before[3] < 0)
        for (int i = 0; i < 4; ++i) q[i] = -q[i];
}

}  // namespace

Result<JointFit> fit_joints(const Skeleton& figure, const JointRules& rules,
                            const Convention& listed) {
    return JointFitter(figure, rules, listed).run();
}

JointSources fit_sources(const JointSources& sources, const JointFit& fit) {
    JointSources out;
    for (const int from : fit.from)
        out.push_back(from == kNone ? JointSource{} : sources[at(from)]);
    return out;
}

Clip fit_clip(const Clip& clip, const Skeleton& figure, const JointFit& fit) {
    Clip out = clip;
    const auto joints = at(fit.skeleton.size());
    out.joints.assign(joints, {});
    std::vector<std::size_t> composed;
    for (std::size_t j = 0; j < joints; ++j) {
        if (fit.from[j] == kNone)
            out.joints[j] = rest_track(fit.skeleton[static_cast<int>(j)].rest, clip.samples);
        else if (fit.plain[j])
            out.joints[j] = clip.joints[at(fit.from[j])];
        else
            composed.push_back(j);
    }
    if (composed.empty()) return out;
    for (const std::size_t j : composed) out.joints[j] = make_tracks(1, clip.samples)[0];
    std::vector<Affine> own, fitted(joints);
    std::vector<bool> bent(joints);
    for (int k = 0; k < clip.samples; ++k) {
        worlds_at(clip, figure, k, own);
        for (std::size_t j = 0; j < joints; ++j) {
            const Joint& joint = fit.skeleton[static_cast<int>(j)];
            const bool top = joint.parent < 0;
            const Affine above = top ? Affine{} : fitted[at(joint.parent)];
            bent[j] = false;
            if (fit.from[j] == kNone) {
                fitted[j] = above * to_affine(joint.rest);
                continue;
            }
            fitted[j] = own[at(fit.from[j])];
            // What hangs on a joint that has lost its shear goes where it was all the same.
            if (fit.plain[j] && (top || !bent[at(joint.parent)])) continue;
            const Decomposed local = decompose(inverse(above) * fitted[j]);
            store(out.joints[j], k, local.transform);
            keep_side(out.joints[j], k);
            bent[j] = local.shear > kNoShear;
            if (bent[j]) fitted[j] = above * to_affine(local.transform);
        }
    }
    return out;
}

}  // namespace mellow
