// Parts of takes one after the other; declared in shaping.h.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "mellow/shaping.h"
#include "shape/ground_frame.h"
#include "shape/tile_poses.h"

namespace mellow {
namespace {

struct Segment {
    Take take;
    ValueCurve time;
    double first = 0, last = 0, overlap = 0;  ///< seconds of the whole
    CurveShape blend = CurveShape::kSmooth;
    Transform placed;
    bool moved = false;      ///< `placed` is not the identity
    std::size_t source = 0;  ///< which tiles it uses: those of its take
};

/// The lanes of a tile that a segment has a part in.
struct Share {
    std::size_t segment = 0;
    std::array<double, kTileFrames> weight{};  ///< 0: none of it
};

class JoinedMotion final : public Take::Motion {
  public:
    JoinedMotion(std::vector<Segment> segments, const Take& like, RootKind root)
        : segments_(std::move(segments)),
          skeleton_(like.skeleton),
          mounts_(like.mounts),
          scalars_(scalars_of(like)),
          root_(root),
          top_(top_joints(like.skeleton, root)) {
        for (const Segment& s : segments_) sources_ = std::max(sources_, s.source + 1);
    }

    JointTile make_tile() const override {
        JointTile tile(skeleton_.size(), static_cast<int>(mounts_.size()), scalars_);
        auto work = std::make_unique<Work>();
        work->inner.resize(sources_);
        work->shares.reserve(8);
        work->rows.resize(at(skeleton_.size()));
        work->hung.resize(mounts_.size() * kTileFrames);
        tile.work = std::move(work);
        return tile;
    }

    void evaluate(std::span<const double> seconds, Take::Want want,
                  JointTile& tile) const override {
        Work& work = static_cast<Work&>(*tile.work);
        share_out(seconds, work);
        const auto whole = [](const Share& s) {
            return std::all_of(s.weight.begin(), s.weight.end(), [](double w) { return w == 1; });
        };
        if (work.shares.size() == 1 && whole(work.shares[0]))
            one_segment(segments_[work.shares[0].segment], seconds, want, work, tile);
        else
            several(seconds, want, work, tile);
    }

  private:
    struct Work final : JointTile::Work {
        std::vector<InnerTile> inner;  ///< by source
        std::vector<Share> shares;
        std::vector<double*> rows;
        std::vector<Affine> hung;  ///< [mount][lane]: on its joint
        std::array<double, kTileFrames> times{};
    };

    std::size_t segment_at(double t) const {
        const auto after = std::upper_bound(segments_.begin() + 1, segments_.end(), t,
                                            [](double v, const Segment& s) { return v < s.first; });
        return static_cast<std::size_t>(after - segments_.begin()) - 1;
    }

    static Share& share_of(Work& work, std::size_t segment) {
        for (Share& s : work.shares)
            if (s.segment == segment) return s;
        work.shares.push_back({segment, {}});
        return work.shares.back();
    }

    /// Which segments a tile is made of. A segment that blends comes after the one below it.
    void share_out(std::span<const double> seconds, Work& work) const {
        work.shares.clear();
        for (std::size_t f = 0; f < kTileFrames; ++f) {
            const double t = seconds[std::min(f, seconds.size() - 1)];
            const std::size_t i = segment_at(t);
            const Segment& s = segments_[i];
            double weight = 1;
            if (i > 0 && t < s.first + s.overlap) {
                const double u = std::clamp((t - s.first) / s.overlap, 0.0, 1.0);
                weight = s.blend == CurveShape::kLinear ? u : u * u * (3 - 2 * u);
                share_of(work, i - 1).weight[f] = 1;
            }
            share_of(work, i).weight[f] = weight;
        }
    }

    JointTile& play(const Segment& s, std::span<const double> seconds, Take::Want want,
                    Work& work) const {
        for (std::size_t f = 0; f < seconds.size(); ++f)
            work.times[f] =
                value_at(s.time, std::clamp(seconds[f] - s.first, 0.0, s.last - s.first));
        return work.inner[s.source].evaluate(s.take, {work.times.data(), seconds.size()}, want);
    }

    void one_segment(const Segment& s, std::span<const double> seconds, Take::Want want, Work& work,
                     JointTile& tile) const {
        const JointTile& inner = play(s, seconds, want, work);
        for (int i = 0; i < scalars_; ++i) tile.show_scalar(i, inner.scalar(i));
        if (want == Take::Want::kLocals) {
            for (int j = 0; j < skeleton_.size(); ++j) {
                if (top_[at(j)] && s.moved) {
                    double* own = tile.own_local(j);
                    for (int f = 0; f < kTileFrames; ++f)
                        store_local(own, f, placed(s, load_local(inner.local(j), f)));
                } else {
                    tile.show_local(j, inner.local(j));
                }
                tile.no_shear(j);
                if (inner.shear(j) != nullptr)
                    std::copy_n(inner.shear(j), kTileFrames, tile.own_shear(j));
            }
            return;
        }
        const Affine m = to_affine(s.placed);
        for (int j = 0; j < skeleton_.size(); ++j) {
            if (!s.moved || (root_ == RootKind::kAdded && j == 0)) {
                tile.show_world(j, inner.world(j));
                continue;
            }
            double* own = tile.own_world(j);
            for (int f = 0; f < kTileFrames; ++f)
                store_affine(own, f, m * load(world_rows(inner, j), f));
        }
        for (std::size_t i = 0; i < mounts_.size(); ++i) {
            const int mount = static_cast<int>(i);
            double* own = tile.own_mount(mount);
            for (int f = 0; f < kTileFrames; ++f)
                store_affine(own, f, m * load(mount_rows(inner, mount), f));
        }
    }

    static Transform placed(const Segment& s, const Transform& t) {
        return {s.placed.t + rotate(s.placed.r, t.t), s.placed.r * t.r, t.s};
    }

    /// Poses that hang on a root, in the world, and back.
    static Transform on(const Transform& root, const Transform& t) {
        return {root.t + rotate(root.r, root.s * t.t), root.r * t.r, root.s * t.s};
    }
    static Transform off(const Transform& root, const Transform& t) {
        const auto by = [](Vec3 a, Vec3 b) { return Vec3{a.x / b.x, a.y / b.y, a.z / b.z}; };
        const Quat back = conjugate(root.r);
        return {by(rotate(back, t.t - root.t), root.s), back * t.r, by(t.s, root.s)};
    }

    void several(std::span<const double> seconds, Take::Want want, Work& work,
                 JointTile& tile) const {
        for (const Share& share : work.shares) mix_locals(share, seconds, work, tile);
        if (want == Take::Want::kLocals) return;
        for (int j = 0; j < skeleton_.size(); ++j) work.rows[at(j)] = tile.own_world(j);
        for (const Share& share : work.shares) copy_worlds(share, seconds, work, tile);
        finish_blended(work, tile);
    }

    /// Later segments blend over what earlier ones wrote.
    void mix_locals(const Share& share, std::span<const double> seconds, Work& work,
                    JointTile& tile) const {
        const Segment& s = segments_[share.segment];
        const JointTile& inner = play(s, seconds, Take::Want::kLocals, work);
        std::array<Transform, kTileFrames> roots_below, roots;  // of a root that moves
        for (int j = 0; j < skeleton_.size(); ++j) {
            double* own = tile.own_local(j);
            tile.no_shear(j);
            const bool hangs = root_ == RootKind::kMoves && skeleton_[j].parent == 0;
            for (int f = 0; f < kTileFrames; ++f) {
                const double w = share.weight[at(f)];
                if (w == 0) continue;
                Transform t = load_local(inner.local(j), f);
                if (top_[at(j)] && s.moved) t = placed(s, t);
                Transform below = load_local(own, f);
                if (j == 0) roots_below[at(f)] = below, roots[at(f)] = t;
                if (w < 1) {
                    if (hangs) t = on(roots[at(f)], t), below = on(roots_below[at(f)], below);
                    t = {below.t + w * (t.t - below.t), slerp(below.r, t.r, w),
                         below.s + w * (t.s - below.s)};
                    if (hangs) t = off(load_local(tile.own_local(0), f), t);
                }
                store_local(own, f, t);
            }
        }
        for (int i = 0; i < scalars_; ++i) {
            double* own = tile.own_scalar(i);
            for (std::size_t f = 0; f < kTileFrames; ++f) {
                const double w = share.weight[f];
                if (w > 0)
                    own[f] =
                        w < 1 ? own[f] + w * (inner.scalar(i)[f] - own[f]) : inner.scalar(i)[f];
            }
        }
    }

    /// Lanes of one segment alone are as its take has them; of others, how mounts hang is kept.
    void copy_worlds(const Share& share, std::span<const double> seconds, Work& work,
                     JointTile& tile) const {
        const Segment& s = segments_[share.segment];
        const JointTile& inner = play(s, seconds, Take::Want::kWorlds, work);
        const Affine m = to_affine(s.placed);
        for (std::size_t f = 0; f < kTileFrames; ++f) {
            const double w = share.weight[f];
            const int lane = static_cast<int>(f);
            if (w == 0) continue;
            for (int j = 0; j < skeleton_.size(); ++j) {
                const Affine world = load(world_rows(inner, j), lane);
                store_affine(work.rows[at(j)], lane,
                             root_ == RootKind::kAdded && j == 0 ? world : m * world);
            }
            for (std::size_t i = 0; i < mounts_.size(); ++i) {
                const Affine mount = load(mount_rows(inner, static_cast<int>(i)), lane);
                const int joint = mounts_[i].joint;
                const Affine on = joint == kNone
                                      ? m * mount
                                      : inverse(load(world_rows(inner, joint), lane)) * mount;
                Affine& hung = work.hung[i * kTileFrames + f];
                hung = w < 1 ? mixed(hung, on, w) : on;
            }
        }
        (void)tile;
    }

    static Affine mixed(const Affine& a, const Affine& b, double w) {
        return {a.x + w * (b.x - a.x), a.y + w * (b.y - a.y), a.z + w * (b.z - a.z),
                a.o + w * (b.o - a.o)};
    }

    void finish_blended(Work& work, JointTile& tile) const {
        for (std::size_t f = 0; f < kTileFrames; ++f) {
            const int lane = static_cast<int>(f);
            const bool blended =
                std::any_of(work.shares.begin(), work.shares.end(),
                            [&](const Share& s) { return s.weight[f] > 0 && s.weight[f] < 1; });
            if (blended) put_worlds(skeleton_, tile, lane, work.rows);
            for (std::size_t i = 0; i < mounts_.size(); ++i) {
                const int joint = mounts_[i].joint;
                const Affine& hung = work.hung[i * kTileFrames + f];
                store_affine(
                    tile.own_mount(static_cast<int>(i)), lane,
                    joint == kNone ? hung : load_affine(work.rows[at(joint)], lane) * hung);
            }
        }
    }

    const std::vector<Segment> segments_;
    const Skeleton skeleton_;
    const std::vector<Mount> mounts_;
    const int scalars_;
    const RootKind root_;
    const std::vector<bool> top_;
    std::size_t sources_ = 0;
};

Finding bad(const JoinPart& part, std::string found, std::string expected) {
    return {Code::kValueBad,  Severity::kStop,     Place::of(part.name),
            std::move(found), std::move(expected), ""};
}

bool same_joints(const Take& a, const Take& b) {
    const auto equal = [](const Joint& x, const Joint& y) {
        return x.name == y.name && x.parent == y.parent;
    };
    return std::equal(a.skeleton.joints().begin(), a.skeleton.joints().end(),
                      b.skeleton.joints().begin(), b.skeleton.joints().end(), equal) &&
           scalars_of(a) == scalars_of(b) && a.mounts.size() == b.mounts.size();
}

Status check(const std::vector<JoinPart>& parts) {
    if (parts.empty())
        return Finding{Code::kValueBad, Severity::kStop, "join", "no part", "one or more", ""};
    for (std::size_t i = 0; i < parts.size(); ++i) {
        const JoinPart& part = parts[i];
        if (!same_joints(parts[0].take, part.take))
            return bad(part, "other joints than the first part", "parts of one skeleton");
        if (!(part.seconds > 0)) return bad(part, "a part without length", "more than 0 s");
        if (part.time.points.empty()) return bad(part, "a time without points", "a time curve");
        if (part.align.joint < 0 || part.align.joint >= part.take.skeleton.size())
            return bad(part, fmt::format("joint {}", part.align.joint), "a joint of the skeleton");
        if (i == 0) continue;
        // A part is blended with one other at a time.
        const double before = parts[i - 1].seconds - (i > 1 ? parts[i - 1].overlap : 0);
        const double most = std::min(part.seconds, before);
        if (part.overlap < 0 || part.overlap > most * (1 + 1e-12))
            return bad(part, fmt::format("an overlap of {:.6g} s", part.overlap),
                       fmt::format("at most {:.6g} s: no longer than the part, and than what the "
                                   "part before plays alone",
                                   most));
    }
    return {};
}

}  // namespace

ValueCurve even_time(double first, double last, double seconds) {
    return {{{0, first, 0}, {seconds, last, 0}}, CurveShape::kLinear};
}

Transform ground_frame(const Take& take, const Align& align, double second) {
    auto tile = take.tiles->take();
    take.evaluate(std::array{second}, Take::Want::kWorlds, *tile);
    const Affine world = load(world_rows(*tile, align.joint), 0);
    take.tiles->give_back(std::move(tile));
    const Affine rest = take.skeleton.rest_worlds()[at(align.joint)];
    return ground_frame_of(world, rest, rotation_of(rest), align.ground, align.heading,
                           align.height);
}

Result<Joined> join(std::vector<JoinPart> parts, RootKind root) {
    MELLOW_CHECK(check(parts));
    Joined out;
    std::vector<Segment> segments;
    std::vector<const Take::Motion*> sources;
    const Take like = parts[0].take;
    for (JoinPart& part : parts) {
        Segment s;
        const auto known = std::find(sources.begin(), sources.end(), part.take.motion.get());
        s.source = static_cast<std::size_t>(known - sources.begin());
        if (known == sources.end()) sources.push_back(part.take.motion.get());
        if (!segments.empty()) {
            const Segment& before = segments.back();
            s.overlap = part.overlap;
            s.first = before.last - part.overlap;
            const double then = value_at(before.time, s.first - before.first);
            const Transform ended =
                                after(before.placed, ground_frame(before.take, part.align, then)),
                            begins = ground_frame(part.take, part.align, value_at(part.time, 0));
            s.placed = after(ended, back(begins));
            s.moved = true;
        }
        s.last = s.first + part.seconds;
        s.take = std::move(part.take), s.time = std::move(part.time), s.blend = part.blend;
        out.parts.push_back({part.name, s.first, s.last, s.placed});
        segments.push_back(std::move(s));
    }
    out.shaped.seconds = segments.back().last;
    out.shaped.take =
        moved_by(like, std::make_shared<JoinedMotion>(std::move(segments), like, root));
    return out;
}

Take placed(const ShapedTake& take, const Transform& place, RootKind root) {
    Segment s;
    s.take = take.take;
    s.time = even_time(0, take.seconds, std::max(take.seconds, 1e-9));
    s.last = take.seconds;
    s.placed = place;
    s.moved = true;
    return moved_by(take.take, std::make_shared<JoinedMotion>(std::vector<Segment>{std::move(s)},
                                                              take.take, root));
}

void place_clip(Clip& clip, const Skeleton& skeleton, const Transform& place, RootKind root) {
    const Travel& travel = clip.travel;
    const bool carries =
        travel.ground || travel.height || travel.heading || root != RootKind::kAdded;
    for (int j = 0; j < skeleton.size(); ++j) {
        if (carries ? j != 0 : skeleton[j].parent != 0) continue;
        JointTrack& track = clip.joints[at(j)];
        for (int k = 0; k < clip.samples; ++k) {
            Transform t = local_at(track, k);
            t.t = place.t + rotate(place.r, t.t);
            t.r = place.r * t.r;
            if (k > 0) t.r = nearest(t.r, local_at(track, k - 1).r);
            store(track, k, t);
        }
    }
}

Result<Joined> repeat(const JoinPart& part, int times, RootKind root) {
    if (times < 1 || times > 10'000) return bad(part, fmt::format("{} times", times), "1 to 10000");
    return join(std::vector<JoinPart>(at(times), part), root);
}

}  // namespace mellow
