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

/// How a joint gets its local pose from its partner's.
struct Way {
    int from = 0;
    Quat before, behind;      ///< turn = before * mirrored(partner's) * behind
    Vec3 rest, partner_rest;  ///< place = rest + before * mirrored(partner's - partner_rest)
};

MELLOW_KERNEL void mirror_kernel(LocalRows from, const Way& way, LocalRowsOut own) {
    const Quat before = way.before, behind = way.behind;
    const Vec3 rest = way.rest, partner = way.partner_rest;
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Vec3 t = place_of(from, f) - partner;
        store_place(own, f, rest + rotate(before, Vec3{-t.x, t.y, t.z}));
        const Quat r = load(turns(from), f);
        store(turns(own), f, normalized(before * Quat{r.x, -r.y, -r.z, r.w} * behind));
        store_size(own, f, size_of(from, f));
    }
}

class MirroredMotion final : public Take::Motion {
  public:
    MirroredMotion(const Take& inner, std::vector<Way> ways, std::vector<int> scalars)
        : inner_(inner), ways_(std::move(ways)), scalars_(std::move(scalars)) {}

    JointTile make_tile() const override { return tile_made_of(inner_); }

    void evaluate(std::span<const double> seconds, Take::Want want,
                  JointTile& tile) const override {
        auto& work = static_cast<MadeOfOne&>(*tile.work);
        const JointTile& inner = work.inner.evaluate(inner_, seconds, Take::Want::kLocals);
        for (std::size_t i = 0; i < scalars_.size(); ++i)
            tile.show_scalar(static_cast<int>(i), inner.scalar(scalars_[i]));
        for (std::size_t j = 0; j < ways_.size(); ++j) {
            const Way& way = ways_[j];
            const LocalRows from = local_rows(inner, way.from);
            const LocalRowsOut own{tile.own_local(static_cast<int>(j))};
            tile.no_shear(static_cast<int>(j));
            mirror_kernel(from, way, own);
        }
        if (want == Take::Want::kLocals) return;
        for (std::size_t j = 0; j < ways_.size(); ++j)
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
    const std::vector<Way> ways_;
    const std::vector<int> scalars_;
};

/// A joint on its own beside the middle, or below such a one: it has no image in the figure.
std::vector<bool> props(const Skeleton& skeleton, const MirrorPairs& pairs) {
    const std::vector<Affine> rest = skeleton.rest_worlds();
    double low = 0, high = 0;
    for (const Affine& world : rest) {
        low = std::min(low, world.o.y);
        high = std::max(high, world.o.y);
    }
    const double middle = std::max(5e-3, 0.01 * (high - low));
    std::vector<bool> out;
    for (int j = 0; j < skeleton.size(); ++j) {
        const int up = skeleton[j].parent;
        const bool alone = pairs.joints[at(j)] == j;
        out.push_back(alone && ((up >= 0 && out[at(up)]) || std::abs(rest[at(j)].o.x) > middle));
    }
    return out;
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

Mirrored mirror(const Take& take, const MirrorPairs& pairs, bool root_added) {
    const Skeleton& skeleton = take.skeleton;
    const std::vector<Affine> rest = skeleton.rest_worlds();
    const std::vector<bool> prop = props(skeleton, pairs);
    Mirrored out;
    std::vector<Quat> change;  // from the partner's image to the joint's own axes
    std::vector<Way> ways;
    for (int j = 0; j < skeleton.size(); ++j) {
        const int from = pairs.joints[at(j)], up = skeleton[j].parent;
        change.push_back(prop[at(j)] || (root_added && j == 0)
                             ? Quat{}
                             : normalized(conjugate(mirrored(rotation_of(rest[at(from)]))) *
                                          rotation_of(rest[at(j)])));
        Way way;
        way.from = from;
        way.before = up < 0 ? Quat{} : conjugate(change[at(up)]);
        way.behind = change.back();
        if (!prop[at(j)]) {
            way.rest = skeleton[j].rest.t, way.partner_rest = skeleton[from].rest.t;
            const double off = length(rest[at(j)].o - mirrored(rest[at(from)].o));
            if (off > out.asymmetry_m) out.asymmetry_m = off, out.asymmetric = skeleton[j].name;
        }
        ways.push_back(way);
    }
    out.take =
        moved_by(take, std::make_shared<MirroredMotion>(take, std::move(ways), pairs.scalars));
    return out;
}

}  // namespace mellow
