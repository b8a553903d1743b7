// Takes as in a mirror; declared in shaping.h.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/kernel.h"
#include "mellow/shaping.h"
#include "shape/tile_poses.h"

namespace mellow {
namespace {

Vec3 mirrored(Vec3 v) { return {-v.x, v.y, v.z}; }
/// M R M with M the mirror in x = 0: the axis of a turn is a pseudo-vector.
Quat mirrored(Quat q) { return {q.x, -q.y, -q.z, q.w}; }

/// How a joint gets its local pose from its partner's:
///   turn  = before * mirrored(partner's) * behind
///   place = base + before * mirrored(partner's - from_place + partner's turn * (size * lever))
///   size  = size_of_rest * (each way of the partner's axes as much as it lies along the own one)
struct Mirroring {
    int from = 0;
    Quat before, behind;
    Vec3 base, from_place, lever;
    Affine sizes;  ///< what a size of the partner, member by member, is in the own axes
    bool levered = false;
};

MELLOW_KERNEL void mirror_kernel(LocalRows from, const Mirroring& mirroring, LocalRowsOut own) {
    const Quat before = mirroring.before, behind = mirroring.behind;
    const Vec3 base = mirroring.base, partner = mirroring.from_place;
    const Affine sizes = mirroring.sizes;
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Vec3 t = place_of(from, f) - partner;
        store_place(own, f, base + rotate(before, Vec3{-t.x, t.y, t.z}));
        const Quat r = load(turns(from), f);
        store(turns(own), f, normalized(before * Quat{r.x, -r.y, -r.z, r.w} * behind));
        store_size(own, f, apply_linear(sizes, size_of(from, f)));
    }
}

/// What moves freely and is not its own image turns about the place that is the image of its own.
MELLOW_KERNEL void lever_kernel(LocalRows from, const Mirroring& mirroring, LocalRowsOut own) {
    const Quat before = mirroring.before;
    const Vec3 lever = mirroring.lever;
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Vec3 t = rotate(load(turns(from), f), size_of(from, f) * lever);
        store_place(own, f, place_of(own, f) + rotate(before, Vec3{-t.x, t.y, t.z}));
    }
}

class MirroredMotion final : public Take::Motion {
  public:
    MirroredMotion(const Take& inner, std::vector<Mirroring> mirrorings, std::vector<int> scalars)
        : inner_(inner), mirrorings_(std::move(mirrorings)), scalars_(std::move(scalars)) {}

    JointTile make_tile() const override { return tile_made_of(inner_); }

    void evaluate(std::span<const double> seconds, Take::Want want,
                  JointTile& tile) const override {
        auto& work = static_cast<MadeOfOne&>(*tile.work);
        const JointTile& inner = work.inner.evaluate(inner_, seconds, Take::Want::kLocals);
        for (std::size_t i = 0; i < scalars_.size(); ++i)
            tile.show_scalar(static_cast<int>(i), inner.scalar(scalars_[i]));
        for (std::size_t j = 0; j < mirrorings_.size(); ++j) {
            const Mirroring& mirroring = mirrorings_[j];
            const LocalRows from = local_rows(inner, mirroring.from);
            const LocalRowsOut own{tile.own_local(static_cast<int>(j))};
            tile.no_shear(static_cast<int>(j));
            mirror_kernel(from, mirroring, own);
            if (mirroring.levered) lever_kernel(from, mirroring, own);
        }
        if (want == Take::Want::kLocals) return;
        for (std::size_t j = 0; j < mirrorings_.size(); ++j)
            work.rows[j] = tile.own_world(static_cast<int>(j));
        for (int f = 0; f < kTileFrames; ++f) {
            put_worlds(inner_.skeleton, tile, f, work.rows);
            for (std::size_t i = 0; i < inner_.mounts.size(); ++i) {
                const Mount& mount = inner_.mounts[i];
                const Affine up =
                    mount.joint == kNone ? Affine{} : load_affine(work.rows[at(mount.joint)], f);
                store_affine(tile.own_mount(static_cast<int>(i)), f, up * mount.rest);
            }
        }
    }

  private:
    const Take inner_;
    const std::vector<Mirroring> mirrorings_;
    const std::vector<int> scalars_;
};

/// A reflection: p' = p - 2 (n . (p - point)) n.
Affine reflection(Vec3 normal, Vec3 point) {
    const Vec3 n = normalized(normal, {1, 0, 0});
    return {Vec3{1, 0, 0} - 2 * n.x * n, Vec3{0, 1, 0} - 2 * n.y * n, Vec3{0, 0, 1} - 2 * n.z * n,
            2 * dot(n, point) * n};
}

/// The rotation that a linear part is behind the mirror in x = 0.
Quat behind_mirror(const Affine& m) {
    const Affine turned{mirrored(m.x), mirrored(m.y), mirrored(m.z), {}};
    return rotation_of(turned);
}

/// Of sizes along the partner's axes, what lies along each own one: r has the own axes in its
/// columns, in the axes of the partner (in the mirror, which squares do not see). At rest the rest
/// sizes come out.
Affine size_change(const Affine& r, Vec3 own, Vec3 partner) {
    const auto row = [&](Vec3 axis, double size) {
        const auto share = [&](double part, double of) {
            const double lies = part * part;
            const double clean = lies < 1e-12 ? 0.0 : lies > 1 - 1e-12 ? 1.0 : lies;
            return size * clean / (std::abs(of) > 1e-12 ? of : 1.0);
        };
        return Vec3{share(axis.x, partner.x), share(axis.y, partner.y), share(axis.z, partner.z)};
    };
    const Vec3 x = row(r.x, own.x), y = row(r.y, own.y), z = row(r.z, own.z);
    return {{x.x, y.x, z.x}, {x.y, y.y, z.y}, {x.z, y.z, z.z}, {}};
}

/// Joints that hang on joint 0, or on nothing, and have no partners, with all below them: things of
/// their own, as far as the tree tells. Their own image is where they rest.
std::vector<MirrorProp> props_by_tree(const Skeleton& skeleton, const std::vector<int>& partners) {
    std::vector<bool> paired(at(skeleton.size()), false);
    for (int j = skeleton.size() - 1; j > 0; --j) {
        paired[at(j)] = paired[at(j)] || partners[at(j)] != j;
        if (skeleton[j].parent > 0 && paired[at(j)]) paired[at(skeleton[j].parent)] = true;
    }
    const std::vector<Affine> rest = skeleton.rest_worlds();
    std::vector<int> of(at(skeleton.size()), kNone);
    std::vector<MirrorProp> out;
    for (int j = 1; j < skeleton.size(); ++j) {
        const int up = skeleton[j].parent;
        if (up <= 0 && !paired[at(j)]) {
            of[at(j)] = static_cast<int>(out.size());
            out.push_back({{}, {1, 0, 0}, rest[at(j)].o});
        } else if (up > 0) {
            of[at(j)] = of[at(up)];
        }
        if (of[at(j)] != kNone) out[at(of[at(j)])].joints.push_back(j);
    }
    return out;
}

double middle_of(const Skeleton& skeleton, const std::vector<int>& partners) {
    const std::vector<Affine> rest = skeleton.rest_worlds();
    double sum = 0, size = 0;
    int count = 0;
    for (int j = 0; j < skeleton.size(); ++j) {
        size = std::max(size, length(rest[at(j)].o));
        const int other = partners[at(j)];
        if (other <= j) continue;
        sum += (rest[at(j)].o.x + rest[at(other)].o.x) / 2;
        ++count;
    }
    const double middle = count > 0 ? sum / count : 0;
    return std::abs(middle) > 1e-6 * size ? middle : 0;
}

}  // namespace

Result<MirrorPairs> mirror_pairs(const Take& take,
                                 const std::vector<std::pair<std::string, std::string>>& table) {
    const Skeleton& skeleton = take.skeleton;
    MirrorPairs out;
    std::vector<std::string> names;
    for (const Joint& joint : skeleton.joints()) names.push_back(joint.name);
    out.joints.assign(names.size(), kNone);
    for (const auto& [a, b] : table) {
        const int i = skeleton.find(a), j = skeleton.find(b);
        if (i < 0 || j < 0)
            return Finding{Code::kNameUnknown,
                           Severity::kStop,
                           "mirror",
                           fmt::format("joint \"{}\"", i < 0 ? a : b),
                           "a joint of the figure",
                           "names as they are in the crate"};
        out.joints[at(i)] = j, out.joints[at(j)] = i;
    }
    bool any = !table.empty();
    for (std::size_t j = 0; j < names.size(); ++j) {
        if (out.joints[j] != kNone) continue;
        out.joints[j] = static_cast<int>(j);
        const auto other = other_side(names[j]);
        if (!other) continue;
        const int partner = skeleton.find(*other);
        if (partner < 0)
            out.unpaired.push_back(names[j]);
        else
            out.joints[j] = partner, any = true;
    }
    if (!any)
        return Finding{Code::kValueBad,
                       Severity::kStop,
                       "mirror",
                       "no joint with a partner on the other side",
                       "names that differ in L and R, or left and right",
                       "[mirror] with \"this_side\" = \"other_side\""};
    for (std::size_t j = 0; j < names.size(); ++j) {
        // A partner's parent is the parent's partner: else there is no image to take.
        const int up = skeleton[static_cast<int>(j)].parent,
                  other_up = skeleton[out.joints[j]].parent;
        if ((up < 0) != (other_up < 0) || (up >= 0 && out.joints[at(up)] != other_up))
            return Finding{Code::kValueBad,
                           Severity::kStop,
                           "mirror",
                           fmt::format("\"{}\" and \"{}\", which do not hang on partners", names[j],
                                       names[at(out.joints[j])]),
                           "parents that are each other's image, too",
                           "correct the pairs in [mirror]"};
    }
    out.middle_m = middle_of(skeleton, out.joints);
    out.props = props_by_tree(skeleton, out.joints);
    std::vector<std::string> scalars;
    for (const MorphChannels& morphs : take.morphs)
        for (const std::string& target : morphs.targets)
            scalars.push_back(morphs.mesh + "\n" + target);
    for (const NamedScalar& scalar : take.scalars) scalars.push_back(scalar.name);
    for (std::size_t i = 0; i < scalars.size(); ++i) {
        const auto cut = scalars[i].find('\n');
        const std::string mesh = cut == std::string::npos ? "" : scalars[i].substr(0, cut + 1);
        const auto other = other_side(scalars[i].substr(mesh.size()));
        const auto found =
            other ? std::find(scalars.begin(), scalars.end(), mesh + *other) : scalars.end();
        out.scalars.push_back(static_cast<int>(
            found == scalars.end() ? i : static_cast<std::size_t>(found - scalars.begin())));
    }
    return out;
}

Mirrored mirror(const Take& take, const MirrorPairs& pairs, RootKind root) {
    const Skeleton& skeleton = take.skeleton;
    const std::vector<Affine> rest = skeleton.rest_worlds();
    const Affine image = reflection({1, 0, 0}, {pairs.middle_m, 0, 0});
    std::vector<Affine> own_image(at(skeleton.size()), image);  // of each joint at rest
    std::vector<bool> prop(at(skeleton.size()), false);
    for (const MirrorProp& one : pairs.props)
        for (const int j : one.joints)
            own_image[at(j)] = reflection(one.normal, one.point), prop[at(j)] = true;
    Mirrored out;
    std::vector<Quat> change;  // from the partner's image to the joint's own axes
    std::vector<Mirroring> mirrorings;
    const auto unscaled = [](const Affine& m) {
        return to_affine({m.o, rotation_of(m), {1, 1, 1}});
    };
    // With X the motion of a joint away from rest, W = X W0, the image moves by S X S: W' of a
    // joint is S X G W0, where G is what makes its rest pose its image, and X its partner's.
    for (int j = 0; j < skeleton.size(); ++j) {
        const int from = pairs.joints[at(j)], up = skeleton[j].parent;
        const Affine partner = unscaled(rest[at(from)]);
        const Affine behind = inverse(partner) * own_image[at(j)] * rest[at(j)];
        change.push_back(
            prop[at(j)] ? behind_mirror(inverse(partner) * own_image[at(j)] * unscaled(rest[at(j)]))
                        : normalized(conjugate(mirrored(rotation_of(rest[at(from)]))) *
                                     rotation_of(rest[at(j)])));
        Mirroring mirroring;
        mirroring.from = from;
        mirroring.before = up < 0 ? Quat{} : conjugate(change[at(up)]);
        mirroring.behind = change.back();
        mirroring.sizes = size_change(to_affine({{}, mirroring.behind, {1, 1, 1}}),
                                      skeleton[j].rest.s, skeleton[from].rest.s);
        mirroring.base = skeleton[j].rest.t, mirroring.from_place = skeleton[from].rest.t;
        const bool free = up < 0 || (root != RootKind::kFigure && up == 0) || prop[at(j)];
        const double off = length(rest[at(j)].o - apply(image, rest[at(from)].o));
        if (free && (prop[at(j)] || off > 1e-9)) {
            const int up_from = up < 0 ? up : pairs.joints[at(up)];
            const Affine before = up < 0 ? image
                                         : inverse(unscaled(rest[at(up)])) * own_image[at(up)] *
                                               unscaled(rest[at(up_from)]);
            mirroring.base = before.o, mirroring.from_place = {}, mirroring.lever = behind.o,
            mirroring.levered = true;
        } else if (off > out.asymmetry_m) {
            out.asymmetry_m = off, out.asymmetric = skeleton[j].name;
        }
        out.bones.push_back(!mirroring.levered);
        mirrorings.push_back(mirroring);
    }
    out.take = moved_by(
        take, std::make_shared<MirroredMotion>(take, std::move(mirrorings), pairs.scalars));
    return out;
}

MirrorCost mirror_cost(const Take& take, const Mirrored& mirrored, const MirrorPairs& pairs,
                       double first, double last) {
    MirrorCost out;
    const int moments = static_cast<int>(std::clamp((last - first) * 60, 0.0, 1999.0)) + 1;
    JointTile a = take.make_tile(), b = mirrored.take.make_tile();
    for (int begin = 0; begin < moments; begin += kTileFrames) {
        std::vector<double> seconds;
        for (int k = begin; k < std::min(moments, begin + kTileFrames); ++k)
            seconds.push_back(moments > 1 ? first + (last - first) * k / (moments - 1) : first);
        take.evaluate(seconds, Take::Want::kWorlds, a);
        mirrored.take.evaluate(seconds, Take::Want::kWorlds, b);
        for (int j = 0; j < take.skeleton.size(); ++j)
            for (int f = 0; f < static_cast<int>(seconds.size()) && mirrored.bones[at(j)]; ++f) {
                const Vec3 p = origin(world_rows(a, pairs.joints[at(j)]), f);
                const double off =
                    length(origin(world_rows(b, j), f) - Vec3{2 * pairs.middle_m - p.x, p.y, p.z});
                if (off > out.distance_m) out = {off, j};
            }
    }
    return out;
}

}  // namespace mellow
