#include "mellow/rig.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/at.h"
#include "base/kernel.h"
#include "base/text.h"
#include "model/lanes.h"
#include "model/orientation.h"
#include "rig/order.h"
#include "rig/plan.h"

namespace mellow {
namespace {

MELLOW_KERNEL void world_kernel(WorldRows parent, LocalRows local, WorldRowsOut world) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Transform t = load(local, f);
        store(world, f, load(parent, f) * to_affine(t));
    }
}

/// The same for a node whose matrix has shear; nine rows of it.
void sheared_world(WorldRows parent, LocalRows local, const double* shear, WorldRowsOut world) {
    for (int f = 0; f < kF; ++f) {
        const Transform t = load(local, f);
        const Affine k{load3(shear, f), load3(shear + 3 * kF, f), load3(shear + 6 * kF, f), {}};
        store(world, f, load(parent, f) * to_affine(t) * k);
    }
}

MELLOW_KERNEL void square_turns(WorldRows world, TurnRowsOut turn, double* skew) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Affine m = load(world, f);
        store(turn, f, square_orientation(m));
        skew[f] = skew_of(m) - 1e-12 * dot(m.x, m.x);
    }
}

/// Orientations of a node: without shear there is nothing to search for.
void find_turns(WorldRows world, TurnRowsOut turn) {
    alignas(64) double skew[kF];
    square_turns(world, turn, skew);
    for (int f = 0; f < kF; ++f)
        if (!(skew[f] <= 0)) store(turn, f, orientation(load(world, f)));
}

void run_rule(const BoundRule& rule, std::size_t index, std::span<const double> seconds,
              PoseTile& tile, const Walk* walk) {
    if (const auto* roll = std::get_if<BoundRoll>(&rule)) {
        if (walk != nullptr && walk->rolls) return simulate(*roll, walk->count, tile);
        return run(*roll, seconds, tile);
    }
    if (const auto* lag = std::get_if<BoundLag>(&rule)) {
        if (walk == nullptr) return run(*lag, seconds, tile);
        if (!walk->lags) return;
        const auto moved = walk->moved->find(index);
        return simulate(*lag, walk->count,
                        moved == walk->moved->end() ? nullptr : moved->second.data(), tile);
    }
    // A kind that cannot be run does not compile.
    const auto run_plain = [&](const auto& bound) {
        if constexpr (requires { run(bound, seconds, tile); })
            run(bound, seconds, tile);
        else
            run(bound, tile);
    };
    std::visit(run_plain, rule);
}

/// Poses of a replacing layer: those of its nodes at one frame, rules and all.
Status bind_poses(const Scene& scene, const RigSheet& sheet, BoundLayer& layer) {
    std::vector<Transform> poses;
    const ReplaceLayer& pose = std::get<ReplaceLayer>(layer.layer.body);
    if (pose.timeline == kNone) {
        for (const int node : layer.nodes) poses.push_back(scene.nodes[at(node)].local);
    } else {
        MELLOW_TRY(const Rig rig, Rig::bind(scene, pose.timeline, sheet));
        PoseTile tile = rig.source().make_tile();
        const double second = pose.frame / scene.rate.per_second();
        rig.evaluate({&second, 1}, tile);
        for (const int node : layer.nodes) poses.push_back(tile.local(node, 0));
    }
    layer.poses = std::move(poses);
    return {};
}

Status bind_rules(const Scene& scene, const Performance& performance, const RigSheet& sheet,
                  Binder& binder, Rig::Plan& plan) {
    for (const Rule& rule : sheet.rules) {
        binder.begin(rule.where, kind(rule));
        const auto bind_one = [&](const auto& body) -> Status {
            MELLOW_TRY(auto bound, bind(body, binder));
            plan.rules.emplace_back(std::move(bound));
            return {};
        };
        binder.end(std::visit(bind_one, rule.body));
    }
    int index = 0;
    for (const Layer& layer : performance.layers) {
        if (std::holds_alternative<SmoothLayer>(layer.body)) continue;
        auto lists = layer_nodes(layer, sheet.prefix, scene);
        if (!lists) {
            binder.begin(layer.where, "layer");
            binder.end(lists.failures());
            continue;
        }
        for (std::vector<int>& nodes : lists.value()) {
            binder.begin(layer.where, "layer");
            binder.end([&]() -> Status {
                MELLOW_TRY(BoundLayer bound,
                           bind(layer, index, std::move(nodes), binder, plan.findings));
                if (std::holds_alternative<ReplaceLayer>(layer.body) && binder.mistakes().empty())
                    MELLOW_CHECK(bind_poses(scene, sheet, bound));
                plan.rules.emplace_back(std::move(bound));
                return {};
            }());
        }
        ++index;
    }
    return binder.mistakes();
}

/// Nodes whose scale a clip keys unevenly: at some key its members differ.
std::vector<bool> keyed_uneven(const Scene& scene, const Performance& performance) {
    std::vector<bool> out(scene.nodes.size(), false);
    if (performance.timeline == kNone) return out;
    for (const Channel& c : scene.timelines[at(performance.timeline)].channels) {
        if (c.path != Path::kScale) continue;
        const auto& values = c.curve.values;
        for (std::size_t i = 0; i + 2 < values.size(); i += 3)
            if (!is_even({values[i], values[i + 1], values[i + 2]})) out[at(c.node)] = true;
    }
    return out;
}

/// Says of each rule that turns a node, or goes by the turn of one, where uneven scale makes that
/// ambiguous: then the rotation is the polar one of the matrix.
void note_uneven(const Binder& binder, const Scene& scene, const Performance& performance,
                 Rig::Plan& plan) {
    const std::vector<bool> keyed = keyed_uneven(scene, performance);
    const auto uneven = [&](int node) -> int {  // the node whose scale it is; kNone
        for (int n = node; n != kNone; n = binder.parent(n))
            if (!is_even(binder.rest_local(n).s * binder.rest_local(n).s) || keyed[at(n)]) return n;
        return kNone;
    };
    for (std::size_t r = 0; r < plan.rules.size(); ++r) {
        if (std::holds_alternative<BoundLayer>(plan.rules[r])) continue;
        for (const Write& w : binder.ties()[r].writes) {
            if ((w.parts & kOrientation) == 0) continue;
            const int scaled = uneven(binder.parent(w.node));
            if (scaled == kNone) continue;
            const double most = unevenness(binder.rest_above(w.node));
            plan.findings.push_back(
                {Code::kShear, Severity::kWarning, binder.where(r),
                 fmt::format("\"{}\" is turned below the uneven scale of \"{}\"{}",
                             scene.nodes[at(w.node)].name, scene.nodes[at(scaled)].name,
                             most > 1 + 1e-9 && most < 1e9
                                 ? fmt::format(", {:.3g} times as long one way as another", most)
                                 : ""),
                 "even scale above what rules turn: under uneven scale a matrix has no turn of its "
                 "own, and its polar rotation is taken",
                 "scale evenly in the source, or look at what comes of it"});
            break;
        }
    }
}

/// Whether a curve ever leaves its first value.
bool moves(const Curve& curve) {
    const std::size_t width =
        at(curve.width) * (curve.interpolation == Interpolation::kCubicSpline ? 3 : 1);
    for (std::size_t i = width; i < curve.values.size(); ++i)
        if (std::abs(curve.values[i] - curve.values[i % width]) > 1e-6) return true;
    return false;
}

/// Says of each rule that counts in full which keys of the nodes it drives are of no use.
void note_overruled(const Binder& binder, const Scene& scene, const Performance& performance,
                    Rig::Plan& plan) {
    if (performance.timeline == kNone) return;
    const auto whole = [](const auto& rule) {
        if constexpr (requires { rule.weight; })
            return rule.weight == kNone;
        else
            return false;  // layers, limits, lag: they change what keys say
    };
    const std::vector<Channel>& channels = scene.timelines[at(performance.timeline)].channels;
    for (std::size_t r = 0; r < plan.rules.size(); ++r) {
        if (std::holds_alternative<BoundLag>(plan.rules[r]) || !std::visit(whole, plan.rules[r]))
            continue;
        std::vector<std::string> names;
        for (const Write& w : binder.ties()[r].writes) {
            if (w.stage != WriteStage::kSolve) continue;
            for (const Channel& c : channels) {
                const bool same =
                    (c.path == Path::kRotation && (w.parts & kOrientation) != 0) ||
                    (c.path == Path::kTranslation && (w.parts & kPosition) == kPosition) ||
                    (c.path == Path::kScale && (w.parts & kScale) == kScale);
                const std::string& name = scene.nodes[at(w.node)].name;
                if (c.node == w.node && same && moves(c.curve) &&
                    std::find(names.begin(), names.end(), name) == names.end())
                    names.push_back(name);
            }
        }
        if (!names.empty())
            plan.findings.push_back({Code::kOverruled, Severity::kWarning, binder.where(r),
                                     "keys that this rule overrules: " + name_list(names),
                                     "nodes that are keyed, or driven",
                                     "take the rule or the keys out; a weight below 1 mixes both"});
    }
}

/// The steps for people, in order, and the nodes that are moved.
void tell(const Binder& binder, const RigSheet& sheet, Rig::Plan& plan) {
    for (const int step : plan.order) {
        if (step < plan.nodes()) continue;
        const std::size_t r = at(step - plan.nodes());
        const Ties& ties = binder.ties()[r];
        RigStep told{ties.line,
                     r < sheet.rules.size() ? std::string(kind(sheet.rules[r])) : "layer",
                     binder.where(r),
                     {},
                     ""};
        int parts = 0;
        for (const Write& w : ties.writes) {
            told.nodes.push_back(w.node);
            plan.driven.push_back(w.node);
            parts |= w.parts;
        }
        told.drives = ties.writes_scalar != kNone ? "value" : part_words(parts);
        plan.steps.push_back(std::move(told));
    }
    std::sort(plan.driven.begin(), plan.driven.end());
    plan.driven.erase(std::unique(plan.driven.begin(), plan.driven.end()), plan.driven.end());
    plan.refill = binder.begins_from_keys();
    std::sort(plan.refill.begin(), plan.refill.end());
    plan.refill.erase(std::unique(plan.refill.begin(), plan.refill.end()), plan.refill.end());
}

}  // namespace

Weights weights_of(const PoseTile& tile, int scalar) {
    Weights out;
    for (int f = 0; f < kF; ++f) {
        const double weight = scalar == kNone ? 1 : tile.scalar(scalar)[f];
        out.lanes[f] = weight > 0 ? std::min(weight, 1.0) : 0;
    }
    return out;
}

void mix_turns(TurnRows keyed, const Weights& weights, TurnRowsOut turns) {
    for (int f = 0; f < kF; ++f)
        if (weights[f] < 1) store(turns, f, slerp(load(keyed, f), load(turns, f), weights[f]));
}

void settle_turns(WorldRows above, TurnRows above_turn, Quat lead, LocalRowsOut local) {
    for (int f = 0; f < kF; ++f) {
        const Vec3 size = size_of(local, f);
        if (is_even(size)) continue;
        const Quat facing = load(above_turn, f);
        store(turns(local), f,
              local_turn(load(above, f), facing, facing * load(turns(local), f), size, lead));
    }
}

Rig::Rig(std::unique_ptr<Plan> plan) : plan_(std::move(plan)) {}
Rig::Rig(Rig&&) noexcept = default;
Rig& Rig::operator=(Rig&&) noexcept = default;
Rig::~Rig() = default;

Result<Rig> Rig::bind(const Scene& scene, int timeline, const RigSheet& sheet) {
    Performance performance;
    performance.timeline = timeline;
    return bind(scene, performance, sheet);
}

Result<Rig> Rig::bind(const Scene& scene, const Performance& performance, const RigSheet& sheet) {
    MELLOW_TRY(auto plan, make_plan(scene, performance, sheet));
    return Rig(std::move(plan));
}

Result<std::unique_ptr<Rig::Plan>> make_plan(const Scene& scene, const Performance& performance,
                                             const RigSheet& sheet) {
    auto plan = std::make_unique<Rig::Plan>();
    plan->scene = &scene;
    constexpr int kMostWeights = 100'000;
    if (const int weights = scalar_layout(scene).count; weights > kMostWeights)
        return Finding{Code::kLimit,
                       Severity::kStop,
                       "scene",
                       fmt::format("{} morph weights over all nodes", weights),
                       fmt::format("at most {}", kMostWeights),
                       "fewer nodes that share a mesh with many morph targets"};
    MELLOW_TRY(plan->motion, Motion::bind(scene, performance, sheet.prefix));
    Binder binder(scene, sheet);
    MELLOW_CHECK(bind_rules(scene, performance, sheet, binder, *plan));
    plan->needs = binder.needs();
    Order order = find_order(plan->needs);
    if (!order.cycle.empty()) return binder.cycle_finding(order.cycle);
    plan->order = std::move(order.steps);
    plan->rest_scalars = binder.scalars();
    plan->motion.write_shear_from(static_cast<int>(plan->rest_scalars.size()));
    plan->rest_scalars.resize(plan->rest_scalars.size() + 9 * plan->motion.sheared().size());
    plan->turns = binder.turns();
    for (std::size_t s = 0; s < sheet.scalars.size(); ++s)
        if (!sheet.scalars[s].curve.points.empty())
            plan->keyed_scalars.push_back(
                {binder.first_sheet_scalar() + static_cast<int>(s), sheet.scalars[s].curve});
    for (std::size_t s = 0; s < sheet.scalars.size(); ++s)
        if (sheet.scalars[s].keep)
            plan->kept_scalars.push_back({sheet.scalars[s].name, sheet.scalars[s].unit,
                                          binder.first_sheet_scalar() + static_cast<int>(s)});
    note_uneven(binder, scene, performance, *plan);
    note_overruled(binder, scene, performance, *plan);
    tell(binder, sheet, *plan);
    MELLOW_CHECK(walk_memory(*plan, performance));
    return plan;
}

PoseTile make_tile(const Rig::Plan& plan) {
    // One more row than nodes: the world above all roots, always the identity.
    return {plan.nodes() + 1, static_cast<int>(plan.rest_scalars.size())};
}

void evaluate_plan(const Rig::Plan& plan, std::span<const double> seconds, PoseTile& tile,
                   const Walk* walk) {
    evaluate_steps(plan, plan.order, &plan, seconds, tile, walk);
}

void evaluate_steps(const Rig::Plan& plan, std::span<const int> order, const void* owner,
                    std::span<const double> seconds, PoseTile& tile, const Walk* walk) {
    const int nodes = plan.nodes();
    if (tile.claim(owner)) {
        for (std::size_t s = 0; s < plan.rest_scalars.size(); ++s)
            std::fill_n(tile.scalar(static_cast<int>(s)), kTileFrames, plan.rest_scalars[s]);
        plan.motion.write_rest(tile);
    }
    // What rules and layers change in place begins from the rest pose or the keys each time.
    for (const int node : plan.refill) plan.motion.write_rest(node, tile);
    plan.motion.sample(seconds, tile);
    for (const Rig::Plan::SheetScalar& s : plan.keyed_scalars)
        for (std::size_t f = 0; f < kTileFrames; ++f)
            tile.scalar(s.scalar)[f] = value_at(s.curve, seconds[std::min(f, seconds.size() - 1)] *
                                                             plan.motion.frames_per_second());
    for (const int step : order) {
        if (step >= nodes) {
            run_rule(plan.rules[at(step - nodes)], at(step - nodes), seconds, tile, walk);
            continue;
        }
        const int parent = plan.scene->nodes[at(step)].parent;
        const WorldRows above = world_rows(tile, parent == kNone ? nodes : parent);
        const WorldRowsOut world = world_rows(tile, step);
        if (const int shear = plan.motion.shear_of_node(step); shear == kNone)
            world_kernel(above, local_rows(tile, step), world);
        else
            sheared_world(above, local_rows(tile, step), tile.scalar(shear), world);
        if (const int turn = plan.turns[at(step)]; turn != kNone)
            find_turns(world, {tile.scalar(turn)});
    }
}

PoseSource Rig::source() const {
    return {[this] { return make_tile(*plan_); },
            [this](std::span<const double> seconds, PoseTile& tile) { evaluate(seconds, tile); },
            plan_->kept_scalars};
}

PoseSource Rig::source(const std::vector<int>& wanted) const {
    const Plan& plan = *plan_;
    std::vector<bool> needed(plan.needs.size(), false);
    for (std::size_t s = at(plan.nodes()); s < needed.size(); ++s) needed[s] = true;
    for (const int node : wanted) needed[at(node)] = true;
    for (auto step = plan.order.rbegin(); step != plan.order.rend(); ++step)
        if (needed[at(*step)])
            for (const int other : plan.needs[at(*step)]) needed[at(other)] = true;
    auto order = std::make_shared<std::vector<int>>();
    for (const int step : plan.order)
        if (needed[at(step)]) order->push_back(step);
    return {[this] { return make_tile(*plan_); },
            [this, order](std::span<const double> seconds, PoseTile& tile) {
                evaluate_steps(*plan_, *order, order.get(), seconds, tile, nullptr);
            },
            plan.kept_scalars};
}

void Rig::evaluate(std::span<const double> seconds, PoseTile& tile) const {
    evaluate_plan(*plan_, seconds, tile, nullptr);
}

const std::vector<RigStep>& Rig::steps() const { return plan_->steps; }
const std::vector<int>& Rig::driven_nodes() const { return plan_->driven; }
const Findings& Rig::findings() const { return plan_->findings; }
std::array<double, 2> Rig::span() const { return plan_->motion.span(); }

Take play(const Scene& scene, std::shared_ptr<const Rig> rig, const Skeleton& skeleton,
          const JointSources& sources, const TakeParts& parts) {
    struct Held {
        std::shared_ptr<const Rig> rig;
        std::shared_ptr<const Take::Motion> motion;
    };
    Take take = take_of(scene, rig->source(), skeleton, sources, parts,
                        rig->source(take_needs(scene, skeleton, sources)));
    const auto held = std::make_shared<const Held>(Held{std::move(rig), take.motion});
    take.motion = {held, held->motion.get()};
    take.tiles = std::make_shared<Pool<JointTile>>(
        [motion = take.motion] { return std::make_unique<JointTile>(motion->make_tile()); });
    return take;
}

}  // namespace mellow
