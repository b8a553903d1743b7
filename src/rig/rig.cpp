#include "mellow/rig.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>

#include "base/kernel.h"
#include "base/text.h"
#include "model/lanes.h"
#include "rig/order.h"
#include "rig/rules.h"

namespace mellow {

/// A step is the world matrix of node `step` when step < nodes, else rule `step - nodes`.
struct Rig::Plan {
    const Scene* scene = nullptr;
    int timeline = kNone;
    ScalarLayout scalars;
    std::vector<double> rest_scalars;
    std::vector<std::span<const MemberCurve>> member_runs;
    Conversion stack_change;
    std::vector<std::variant<BoundFollow, BoundLimb, BoundDrive>> rules;
    std::vector<int> steps;
    std::vector<std::string> rule_order;
    std::vector<int> driven;

    int nodes() const { return static_cast<int>(scene->nodes.size()); }
};

namespace {

std::size_t at(int i) { return static_cast<std::size_t>(i); }

/// What a rule writes: a node and, as bits, its position (1), orientation (2) and scale (4).
struct Write {
    int node;
    int parts;
};

struct Binder {
    const Scene& scene;
    const RigSheet& sheet;
    Rig::Plan& plan;
    std::vector<Affine> rest;
    std::vector<std::vector<Write>> writes;  // per rule
    std::map<std::pair<int, int>, std::size_t> writer;
    std::map<int, std::size_t> scalar_writer;

    Result<int> node(const Rule& rule, std::string_view role, const std::string& name) const {
        int found = find_node(scene, name);
        if (found == kNone && !sheet.prefix.empty()) found = find_node(scene, sheet.prefix + name);
        if (found != kNone) return found;
        std::vector<std::string> names;
        for (const Node& n : scene.nodes) {
            const bool bare = !sheet.prefix.empty() && n.name.starts_with(sheet.prefix);
            names.push_back(bare ? n.name.substr(sheet.prefix.size()) : n.name);
        }
        return Finding{Code::kNameUnknown,
                       Severity::kStop,
                       rule.where,
                       fmt::format("{} names the {} \"{}\", which the scene does not have",
                                   kind(rule), role, name),
                       suggest(name, names),
                       "correct the name in the rig sheet"};
    }

    Status claim(std::size_t index, int node, int parts) {
        for (const int part : {1, 2, 4}) {
            if ((parts & part) == 0) continue;
            const auto [slot, fresh] = writer.emplace(std::pair{node, part}, index);
            if (!fresh)
                return clash(index, slot->second,
                             fmt::format("the {} of \"{}\"",
                                         part == 1   ? "position"
                                         : part == 2 ? "orientation"
                                                     : "scale",
                                         scene.nodes[at(node)].name));
        }
        writes[index].push_back({node, parts});
        return {};
    }

    Finding clash(std::size_t second, std::size_t first, const std::string& what) const {
        return {Code::kRuleClash,
                Severity::kStop,
                sheet.rules[second].where,
                fmt::format("drives {}, which {} drives already", what, sheet.rules[first].where),
                "one rule per channel",
                "remove one of the two rules"};
    }

    Status add(std::size_t index, const FollowRule& body) {
        const Rule& rule = sheet.rules[index];
        MELLOW_TRY(const int target, node(rule, "node", body.node));
        MELLOW_TRY(const int source, node(rule, "source", body.source));
        plan.rules.emplace_back(bind_follow(body, target, source, scene, rest));
        const int parts =
            (body.position ? 1 : 0) + (body.orientation ? 2 : 0) + (body.scale ? 4 : 0);
        plan.rule_order.push_back(fmt::format("follow {} <- {}", body.node, body.source));
        return claim(index, target, parts);
    }

    Status add(std::size_t index, const LimbRule& body) {
        const Rule& rule = sheet.rules[index];
        int nodes[5];
        const std::pair<std::string_view, const std::string*> parts[] = {{"start", &body.start},
                                                                         {"mid", &body.mid},
                                                                         {"end", &body.end},
                                                                         {"goal", &body.goal},
                                                                         {"pole", &body.pole}};
        for (std::size_t i = 0; i < 5; ++i) {
            MELLOW_TRY(nodes[i], node(rule, parts[i].first, *parts[i].second));
        }
        MELLOW_TRY(BoundLimb limb, bind_limb(body, rule.where, nodes, scene, rest));
        plan.rules.emplace_back(limb);
        plan.rule_order.push_back(fmt::format("limb {} {} {} <- {}, {}", body.start, body.mid,
                                              body.end, body.goal, body.pole));
        MELLOW_CHECK(claim(index, nodes[0], 2));
        MELLOW_CHECK(claim(index, nodes[1], 2));
        return body.end_follows_goal ? claim(index, nodes[2], 2) : Status();
    }

    Status add(std::size_t index, const DriveRule& body) {
        const Rule& rule = sheet.rules[index];
        MELLOW_TRY(const int joint, node(rule, "joint", body.joint));
        MELLOW_TRY(const int mesh_node, node(rule, "mesh", body.mesh));
        const int mesh = scene.nodes[at(mesh_node)].mesh;
        const std::vector<std::string> none;
        const auto& targets = mesh == kNone ? none : scene.meshes[at(mesh)].target_names;
        const auto target = std::find(targets.begin(), targets.end(), body.target);
        if (target == targets.end())
            return Finding{
                Code::kNameUnknown,
                Severity::kStop,
                rule.where,
                fmt::format("mesh \"{}\" has no morph target \"{}\"", body.mesh, body.target),
                suggest(body.target, targets),
                "correct the name in the rig sheet"};
        const int scalar =
            plan.scalars.offset[at(mesh_node)] + static_cast<int>(target - targets.begin());
        const auto [slot, fresh] = scalar_writer.emplace(scalar, index);
        if (!fresh)
            return clash(index, slot->second, fmt::format("morph target \"{}\"", body.target));
        plan.rules.emplace_back(BoundDrive{joint, scalar, body.twist, body.smooth, body.axis,
                                           scene.nodes[at(joint)].local.r, body.curve});
        plan.rule_order.push_back(fmt::format("drive {}/{} <- {} of {}", body.mesh, body.target,
                                              body.twist ? "twist" : "swing", body.joint));
        return {};
    }

    /// Rules that write the local transform of `node`, but for `self`.
    void need_writers(std::vector<int>& needs, int node, std::size_t self) const {
        for (std::size_t r = 0; r < writes.size(); ++r)
            for (const Write& w : writes[r])
                if (w.node == node && r != self)
                    needs.push_back(plan.nodes() + static_cast<int>(r));
    }

    std::vector<std::vector<int>> dependencies() const {
        const int nodes = plan.nodes();
        std::vector<std::vector<int>> needs(at(nodes) + plan.rules.size());
        const std::size_t nobody = plan.rules.size();
        for (int n = 0; n < nodes; ++n) {
            if (scene.nodes[at(n)].parent != kNone)
                needs[at(n)].push_back(scene.nodes[at(n)].parent);
            need_writers(needs[at(n)], n, nobody);
        }
        for (std::size_t r = 0; r < plan.rules.size(); ++r) {
            std::vector<int>& own = needs[at(nodes) + r];
            const auto world = [&](int node) {
                if (node < nodes) own.push_back(node);
            };
            if (const auto* follow = std::get_if<BoundFollow>(&plan.rules[r])) {
                world(follow->source);
                world(follow->parent);
            } else if (const auto* limb = std::get_if<BoundLimb>(&plan.rules[r])) {
                for (const int node : {limb->parent, limb->goal, limb->pole}) world(node);
                for (const int node : {limb->start, limb->mid, limb->end})
                    need_writers(own, node, r);
            } else {
                need_writers(own, std::get<BoundDrive>(plan.rules[r]).joint, r);
            }
        }
        for (std::vector<int>& own : needs) {
            std::sort(own.begin(), own.end());
            own.erase(std::unique(own.begin(), own.end()), own.end());
        }
        return needs;
    }

    Finding cycle_finding(const std::vector<int>& cycle) const {
        std::string path;
        std::string where = sheet.file;
        for (const int step : cycle) {
            const bool is_rule = step >= plan.nodes();
            const std::size_t r = is_rule ? at(step - plan.nodes()) : 0;
            if (is_rule) where = sheet.rules[r].where;
            path +=
                (path.empty() ? "" : " -> ") + (is_rule ? "[" + std::string(kind(sheet.rules[r])) +
                                                              " rule " + std::to_string(r + 1) + "]"
                                                        : "\"" + scene.nodes[at(step)].name + "\"");
        }
        return {Code::kRuleCycle,
                Severity::kStop,
                where,
                "rules and parents that need each other: " + path,
                "rules whose sources do not depend on what they drive",
                "let one of these rules follow a node outside the cycle"};
    }
};

MELLOW_KERNEL void world_kernel(const double* parent, const double* local, double* world) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Transform t{load3(local, f), load4(local + 3 * kF, f), load3(local + 7 * kF, f)};
        store_affine(world, f, load_affine(parent, f) * to_affine(t));
    }
}

void fill(double* lanes, double value) { std::fill_n(lanes, kTileFrames, value); }

/// Writes what no curve and no rule will change, once per tile.
void write_rest(const Rig::Plan& plan, PoseTile& tile) {
    const int nodes = plan.nodes();
    for (int n = 0; n <= nodes; ++n) {
        const Transform t = n < nodes ? plan.scene->nodes[at(n)].local : Transform{};
        const double local[10] = {t.t.x, t.t.y, t.t.z, t.r.x, t.r.y,
                                  t.r.z, t.r.w, t.s.x, t.s.y, t.s.z};
        for (int c = 0; c < 10; ++c) fill(tile.channel(n, c), local[c]);
    }
    const double identity[12] = {1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0};
    for (int c = 0; c < 12; ++c) fill(tile.channel(nodes, PoseTile::kWorld + c), identity[c]);
    for (int s = 0; s < plan.scalars.count; ++s) fill(tile.scalar(s), plan.rest_scalars[at(s)]);
}

void sample_channel(const Channel& channel, const ScalarLayout& scalars,
                    std::span<const double> seconds, PoseTile& tile) {
    const auto width = at(channel.curve.width);
    double* rows = tile.scratch(width * kTileFrames);
    sample(channel.curve, channel.path == Path::kRotation, seconds, rows);
    const int first = channel.path == Path::kTranslation ? 0
                      : channel.path == Path::kRotation  ? 3
                                                         : 7;
    for (std::size_t i = 0; i < width; ++i) {
        double* lanes = channel.path == Path::kWeights
                            ? tile.scalar(scalars.offset[at(channel.node)] + static_cast<int>(i))
                            : tile.channel(channel.node, first + static_cast<int>(i));
        for (std::size_t f = 0; f < at(kTileFrames); ++f)
            lanes[f] = rows[std::min(f, seconds.size() - 1) * width + i];
    }
}

/// The member curves of one node: morph weights first, then its stack.
void sample_members(const Rig::Plan& plan, std::span<const MemberCurve> run,
                    std::span<const double> seconds, PoseTile& tile) {
    const int node = run[0].node;
    double* scratch = tile.scratch((scratch_size(run) + 1) * kTileFrames);
    while (!run.empty() && run[0].element == kNone) {
        sample(run[0], seconds, scratch);
        double* lanes = tile.scalar(plan.scalars.offset[at(node)] + run[0].member);
        for (std::size_t f = 0; f < at(kTileFrames); ++f)
            lanes[f] = scratch[std::min(f, seconds.size() - 1)];
        run = run.subspan(1);
    }
    if (run.empty()) return;
    Transform locals[kTileFrames];
    sample_stack(plan.scene->nodes[at(node)].stack, run, plan.stack_change, seconds, scratch,
                 locals);
    for (int f = 0; f < kTileFrames; ++f) {
        const Transform& t = locals[std::min(at(f), seconds.size() - 1)];
        store3(tile.channel(node, 0), f, t.t);
        store4(tile.channel(node, 3), f, t.r);
        store3(tile.channel(node, 7), f, t.s);
    }
}

}  // namespace

Rig::Rig(std::unique_ptr<Plan> plan) : plan_(std::move(plan)) {}
Rig::Rig(Rig&&) noexcept = default;
Rig& Rig::operator=(Rig&&) noexcept = default;
Rig::~Rig() = default;

Result<Rig> Rig::bind(const Scene& scene, int timeline, const RigSheet& sheet) {
    auto plan = std::make_unique<Plan>();
    plan->scene = &scene;
    plan->timeline = timeline;
    plan->scalars = scalar_layout(scene);
    plan->stack_change = Conversion(scene.stack_convention, scene.convention);
    if (timeline != kNone) plan->member_runs = member_runs(scene.timelines[at(timeline)]);
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const auto weights = rest_weights(scene, static_cast<int>(n));
        plan->rest_scalars.insert(plan->rest_scalars.end(), weights.begin(), weights.end());
    }
    Binder binder{scene, sheet, *plan, mellow::rest_worlds(scene), {}, {}, {}};
    binder.writes.resize(sheet.rules.size());
    for (std::size_t i = 0; i < sheet.rules.size(); ++i)
        MELLOW_CHECK(
            std::visit([&](const auto& body) { return binder.add(i, body); }, sheet.rules[i].body));
    for (auto& rule : plan->rules) {
        const auto root_parent = [&](auto& bound) {
            if constexpr (requires { bound.parent; })
                if (bound.parent == kNone) bound.parent = plan->nodes();
        };
        std::visit(root_parent, rule);
    }
    Order order = find_order(binder.dependencies());
    if (!order.cycle.empty()) return binder.cycle_finding(order.cycle);
    plan->steps = std::move(order.steps);
    std::vector<std::string> lines;
    for (const int step : plan->steps)
        if (step >= plan->nodes()) lines.push_back(plan->rule_order[at(step - plan->nodes())]);
    plan->rule_order = std::move(lines);
    for (const auto& rule_writes : binder.writes)
        for (const Write& w : rule_writes) plan->driven.push_back(w.node);
    std::sort(plan->driven.begin(), plan->driven.end());
    plan->driven.erase(std::unique(plan->driven.begin(), plan->driven.end()), plan->driven.end());
    return Rig(std::move(plan));
}

PoseSource Rig::source() const {
    // One more row than nodes: the world above all roots, always the identity.
    return {[this] { return PoseTile(plan_->nodes() + 1, plan_->scalars.count); },
            [this](std::span<const double> seconds, PoseTile& tile) { evaluate(seconds, tile); }};
}

void Rig::evaluate(std::span<const double> seconds, PoseTile& tile) const {
    const Plan& plan = *plan_;
    const int nodes = plan.nodes();
    if (tile.claim(plan_.get())) write_rest(plan, tile);
    if (plan.timeline != kNone)
        for (const Channel& channel : plan.scene->timelines[at(plan.timeline)].channels)
            sample_channel(channel, plan.scalars, seconds, tile);
    for (const auto run : plan.member_runs) sample_members(plan, run, seconds, tile);
    for (const int step : plan.steps) {
        if (step >= nodes) {
            std::visit([&](const auto& rule) { run(rule, tile); }, plan.rules[at(step - nodes)]);
            continue;
        }
        const int parent = plan.scene->nodes[at(step)].parent;
        world_kernel(tile.channel(parent == kNone ? nodes : parent, PoseTile::kWorld),
                     tile.channel(step, PoseTile::kLocal), tile.channel(step, PoseTile::kWorld));
    }
}

const std::vector<std::string>& Rig::rule_order() const { return plan_->rule_order; }
const std::vector<int>& Rig::driven_nodes() const { return plan_->driven; }

}  // namespace mellow
