#include "rig/motion.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "base/at.h"
#include "model/lanes.h"
#include "model/orientation.h"
#include "rig/key_plan.h"
#include "rig/smooth_keys.h"

namespace mellow {
namespace {

void fill(double* lanes, double value) { std::fill_n(lanes, kTileFrames, value); }

/// How many lists of key times a tile remembers the places of.
constexpr std::size_t kPlans = 8;

int first_row(Path path) {
    return path == Path::kTranslation ? 0 : path == Path::kRotation ? 3 : 7;
}

}  // namespace

Result<Motion> Motion::bind(const Scene& scene, const Performance& performance,
                            const std::string& prefix) {
    Motion motion;
    motion.scene_ = &scene;
    motion.stack_change_ = Conversion(scene.stack_convention, scene.convention);
    motion.morphs_ = scalar_layout(scene);
    const std::vector<bool> sheared = sheared_nodes(scene);
    for (std::size_t n = 0; n < sheared.size(); ++n)
        if (sheared[n]) motion.sheared_.push_back(static_cast<int>(n));
    motion.shear_.assign(scene.nodes.size() + 1, kNone);
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const auto weights = rest_weights(scene, static_cast<int>(n));
        motion.rest_weights_.insert(motion.rest_weights_.end(), weights.begin(), weights.end());
    }
    if (performance.arrangement) {
        MELLOW_CHECK(motion.bind_arrangement(*performance.arrangement, prefix));
    } else if (performance.timeline != kNone) {
        motion.use(performance.timeline);
        motion.span_ = key_span(scene.timelines[at(performance.timeline)]);
    }
    for (const Layer& layer : performance.layers) {
        const auto* smooth = std::get_if<SmoothLayer>(&layer.body);
        if (smooth == nullptr) continue;
        MELLOW_TRY(const std::vector<int> nodes,
                   masked_nodes(scene, layer.mask, prefix, layer.where));
        for (BoundTimeline& bound : motion.timelines_)
            smooth_keys(*smooth, nodes, motion.frames_per_second(), bound);
    }
    return motion;
}

void Motion::write_shear_from(int first) {
    for (std::size_t i = 0; i < sheared_.size(); ++i)
        shear_[at(sheared_[i])] = first + 9 * static_cast<int>(i);
}

std::size_t Motion::use(int timeline) {
    for (std::size_t i = 0; i < timeline_numbers_.size(); ++i)
        if (timeline_numbers_[i] == timeline) return i;
    const Timeline& t = scene_->timelines[at(timeline)];
    timelines_.push_back({&t, member_runs(t.members), {}, {}});
    timeline_numbers_.push_back(timeline);
    return timelines_.size() - 1;
}

Status Motion::bind_arrangement(const Arrangement& arrangement, const std::string& prefix) {
    blend_ = arrangement.blend;
    gaps_rest_ = arrangement.gaps_rest;
    std::set<int> moved;
    double end = -1e300;
    for (const Block& block : arrangement.blocks) {
        BoundBlock bound{block, use(block.timeline), {}, 0};
        bound.overlap = std::max(0.0, std::min(end, block.end()) - block.start);
        end = std::max(end, block.end());
        MELLOW_TRY(const std::vector<int> onward,
                   masked_nodes(*scene_, {block.onward, {}, {}}, prefix, block.where));
        PoseTile tile(static_cast<int>(scene_->nodes.size()) + 1, morphs_.count);
        write_rest(tile);
        const double k = 1 / frames_per_second(), ends[2] = {block.first * k, block.last * k};
        sample_timeline(timelines_[bound.timeline], ends, tile);
        for (const int node : onward) {
            const Affine step =
                to_affine(tile.local(node, 1)) * inverse(to_affine(tile.local(node, 0)));
            bound.onward.push_back({node, {step.o, orientation(step), {1, 1, 1}}});
        }
        for (const Channel& c : timelines_[bound.timeline].timeline->channels) moved.insert(c.node);
        for (const MemberCurve& m : timelines_[bound.timeline].timeline->members)
            moved.insert(m.node);
        blocks_.push_back(std::move(bound));
    }
    moved_nodes_.assign(moved.begin(), moved.end());
    span_ = {arrangement.first() / frames_per_second(), arrangement.last() / frames_per_second()};
    return {};
}

void Motion::write_rest(int node, PoseTile& tile) const {
    const int nodes = static_cast<int>(scene_->nodes.size());
    const Transform t = node < nodes ? scene_->nodes[at(node)].local : Transform{};
    const double local[10] = {t.t.x, t.t.y, t.t.z, t.r.x, t.r.y, t.r.z, t.r.w, t.s.x, t.s.y, t.s.z};
    for (int c = 0; c < 10; ++c) fill(tile.channel(node, c), local[c]);
    if (const int first = shear_[at(node)]; first != kNone) {
        const Affine k = scene_->nodes[at(node)].shear.value_or(Affine{});
        const double rest[9] = {k.x.x, k.x.y, k.x.z, k.y.x, k.y.y, k.y.z, k.z.x, k.z.y, k.z.z};
        for (int c = 0; c < 9; ++c) fill(tile.scalar(first + c), rest[c]);
    }
}

void Motion::write_rest(PoseTile& tile) const {
    const int nodes = static_cast<int>(scene_->nodes.size());
    for (int n = 0; n <= nodes; ++n) write_rest(n, tile);
    const double identity[12] = {1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0};
    for (int c = 0; c < 12; ++c) fill(tile.channel(nodes, PoseTile::kWorld + c), identity[c]);
    for (int s = 0; s < morphs_.count; ++s) fill(tile.scalar(s), rest_weights_[at(s)]);
}

void Motion::sample(std::span<const double> seconds, PoseTile& tile) const {
    if (!blocks_.empty())
        sample_strip(seconds, tile);
    else if (!timelines_.empty())
        sample_timeline(timelines_[0], seconds, tile);
}

void Motion::sample_timeline(const BoundTimeline& bound, std::span<const double> seconds,
                             PoseTile& tile) const {
    const std::vector<Channel>& channels = bound.timeline->channels;
    KeyPlan plans[kPlans];
    std::size_t known = 0, oldest = 0;
    const auto plan_of = [&](const KeyTimes& times) -> const KeyPlan& {
        for (std::size_t i = 0; i < known; ++i)
            if (plans[i].identity == times.identity()) return plans[i];
        KeyPlan& plan = plans[known < kPlans ? known++ : oldest++ % kPlans];
        plan = plan_keys(times, seconds);
        return plan;
    };
    for (std::size_t c = 0; c < channels.size(); ++c) {
        const Channel& channel = channels[c];
        const bool rotation = channel.path == Path::kRotation;
        double* rows = channel.path == Path::kWeights
                           ? tile.scalar(morphs_.offset[at(channel.node)])
                           : tile.channel(channel.node, first_row(channel.path));
        sample_lanes(channel.curve, rotation, plan_of(channel.curve.times), rows);
        if (const auto run = bound.smoothed.find(c); run != bound.smoothed.end()) {
            const auto width = at(channel.curve.width);
            double* smooth = tile.scratch(width * kTileFrames);
            sample_lanes(run->second.curve, rotation, plan_keys(run->second.curve.times, seconds),
                         smooth);
            for (std::size_t f = 0; f < at(kTileFrames); ++f) {
                const double t = seconds[std::min(f, seconds.size() - 1)];
                for (std::size_t i = 0;
                     i < width && t >= run->second.first && t <= run->second.last; ++i)
                    rows[i * kTileFrames + f] = smooth[i * kTileFrames + f];
            }
        }
    }
    for (const ShearCurve& shear : bound.timeline->shears)
        if (const int first = shear_[at(shear.node)]; first != kNone)
            sample_lanes(shear.curve, false, plan_of(shear.curve.times), tile.scalar(first));
    for (auto run : bound.members) {
        const int node = run[0].node;
        double* scratch = tile.scratch((scratch_size(run) + 1) * kTileFrames);
        while (!run.empty() && run[0].element == kNone) {  // morph weights come first
            mellow::sample(run[0], seconds, scratch);
            double* lanes = tile.scalar(morphs_.offset[at(node)] + run[0].member);
            for (std::size_t f = 0; f < at(kTileFrames); ++f)
                lanes[f] = scratch[std::min(f, seconds.size() - 1)];
            run = run.subspan(1);
        }
        if (run.empty()) continue;
        Transform locals[kTileFrames];
        Affine shears[kTileFrames];
        const int sheared = shear_[at(node)];
        sample_stack(scene_->nodes[at(node)].stack, run, stack_change_, seconds, scratch, locals,
                     sheared == kNone ? nullptr : shears);
        for (int f = 0; sheared != kNone && f < kTileFrames; ++f) {
            const Affine& k = shears[std::min(at(f), seconds.size() - 1)];
            const double to[9] = {k.x.x, k.x.y, k.x.z, k.y.x, k.y.y, k.y.z, k.z.x, k.z.y, k.z.z};
            for (int c = 0; c < 9; ++c) tile.scalar(sheared + c)[f] = to[c];
        }
        for (int f = 0; f < kTileFrames; ++f) {
            const Transform& t = locals[std::min(at(f), seconds.size() - 1)];
            store3(tile.channel(node, 0), f, t.t);
            store4(tile.channel(node, 3), f, t.r);
            store3(tile.channel(node, 7), f, t.s);
        }
    }
}

namespace {

/// Where in its timeline a block is at frame `arrangement` of the arrangement: seconds, and which
/// repeat.
struct BlockTime {
    double frame, repeat;
};
BlockTime time_in(const Block& block, double arrangement) {
    const double length = block.last - block.first;
    const double passed =
        std::clamp((arrangement - block.start) * block.speed, 0.0, length * block.repeats);
    if (length <= 0) return {block.first, 0};
    // The end of a repeat belongs to it, not to the next one.
    const double repeat = std::max(0.0, std::ceil(passed / length - 1e-9) - 1);
    return {block.first + std::min(passed - repeat * length, length), repeat};
}

}  // namespace

void Motion::sample_strip(std::span<const double> seconds, PoseTile& tile) const {
    double frames[kTileFrames], inside[kTileFrames], repeat[kTileFrames], weight[kTileFrames];
    for (std::size_t f = 0; f < kTileFrames; ++f)
        frames[f] = seconds[std::min(f, seconds.size() - 1)] * frames_per_second();
    for (const int node : moved_nodes_) write_rest(node, tile);
    for (int s = 0; s < morphs_.count; ++s) fill(tile.scalar(s), rest_weights_[at(s)]);
    for (std::size_t b = 0; b < blocks_.size(); ++b) {
        const BoundBlock& bound = blocks_[b];
        const Block& block = bound.block;
        bool any = false;
        for (std::size_t f = 0; f < kTileFrames; ++f) {
            const bool before = frames[f]<block.start, after = frames[f]> block.end();
            double w = block.weight.points.empty() ? 1 : value_at(block.weight, frames[f]);
            if (bound.overlap > 0) {
                const double u = std::clamp((frames[f] - block.start) / bound.overlap, 0.0, 1.0);
                w *= blend_ == CurveShape::kSmooth ? u * u * (3 - 2 * u) : u;
            }
            // Outside, the last pose holds, and the first block's first pose before it.
            if ((before && (gaps_rest_ || b > 0)) || (after && gaps_rest_)) w = 0;
            weight[f] = std::clamp(w, 0.0, 1.0);
            any = any || weight[f] > 0;
            const BlockTime time = time_in(block, frames[f]);
            inside[f] = time.frame / frames_per_second();
            repeat[f] = time.repeat;
        }
        if (!any) continue;
        PoseTile& other = tile.spare();
        if (other.claim(this)) write_rest(other);
        for (const int node : moved_nodes_) write_rest(node, other);
        for (int s = 0; s < morphs_.count; ++s) fill(other.scalar(s), rest_weights_[at(s)]);
        sample_timeline(timelines_[bound.timeline], {inside, kTileFrames}, other);
        mix(bound, weight, repeat, tile);
    }
}

void Motion::mix(const BoundBlock& bound, const double* weight, const double* repeat,
                 PoseTile& tile) const {
    PoseTile& other = tile.spare();
    for (const BoundBlock::Onward& on : bound.onward)
        for (int f = 0; f < kTileFrames; ++f) {
            Affine world = to_affine(other.local(on.node, f));
            for (int k = 0; k < static_cast<int>(repeat[f]); ++k)
                world = to_affine(on.step) * world;
            store3(other.channel(on.node, 0), f, world.o);
            store4(other.channel(on.node, 3), f, orientation(world));
        }
    for (const int node : moved_nodes_)
        for (int f = 0; f < kTileFrames; ++f) {
            const double w = weight[f];
            double *into = tile.channel(node, 0), *from = other.channel(node, 0);
            for (int c = 0; shear_[at(node)] != kNone && c < 9; ++c) {
                double* k = tile.scalar(shear_[at(node)] + c);
                k[f] += w * (other.scalar(shear_[at(node)] + c)[f] - k[f]);
            }
            for (int c = 0; c < 10; ++c)
                if (c < 3 || c > 6) into[c * kF + f] += w * (from[c * kF + f] - into[c * kF + f]);
            store4(into + 3 * kF, f, slerp(load4(into + 3 * kF, f), load4(from + 3 * kF, f), w));
        }
    for (int s = 0; s < morphs_.count; ++s)
        for (int f = 0; f < kTileFrames; ++f)
            tile.scalar(s)[f] += weight[f] * (other.scalar(s)[f] - tile.scalar(s)[f]);
}

}  // namespace mellow
