#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <deque>
#include <limits>
#include <map>
#include <optional>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "base/toml_text.h"
#include "mellow/play.h"
#include "play/leads.h"
#include "play/played_motion.h"

namespace mellow {
namespace {

/// A loop whose end is farther than this from its beginning jumps.
constexpr double kSeam_m = 0.01;
/// Times this close are the same.
constexpr double kSameTime_s = 1e-9;

}  // namespace

struct StandIn::Parts {
    /// A state that plays; the last of them is the one that counts, others fade.
    struct Playing {
        int state = 0;
        double second = 0;  ///< of its clip
        int rounds = 0;
        double speed = 1;
        bool loops = false, ended = false;
        double blend = 0, blended = 0;  ///< seconds: in all, and so far
        CurveShape shape = CurveShape::kSmooth;

        double weight() const { return weight_at(blended); }
        double weight_at(double since) const {
            if (since >= blend) return 1;
            const double u = since / blend;
            return shape == CurveShape::kLinear ? u : u * u * (3 - 2 * u);
        }
    };

    Scene skin;
    StateSheet sheet;
    int root = kNone;
    std::vector<PlayedMotion> clips;
    std::vector<std::size_t> clip_of;  ///< of each state
    std::vector<std::string> idle_cues;
    std::vector<const Transition*> transitions;  ///< in the order in which they are looked at
    std::vector<std::string> names;
    std::vector<int> order;
    std::map<std::string, bool> flags;
    std::set<std::string> pending;
    std::deque<Playing> playing;
    Transform place;  ///< of the root, without what it rests at
    double seconds = 0, heading = 0;
    std::vector<Affine> worlds;
    PlayStep step;

    const PlayedMotion& motion(const Playing& p) const { return clips[clip_of[at(p.state)]]; }
    const State& state(const Playing& p) const { return sheet.states[at(p.state)]; }

    double speed_of(int s) const {
        const ClipLabels& labels = clips[clip_of[at(s)]].facts().labels;
        return sheet.states[at(s)].speed * labels.speed * (labels.backwards ? -1 : 1);
    }
    bool loops(int s) const {
        const State& state = sheet.states[at(s)];
        if (state.loop == State::Loop::kAsClip) return clips[clip_of[at(s)]].loops();
        return state.loop == State::Loop::kYes;
    }

    void enter(int s, double blend, CurveShape shape) {
        Playing p;
        p.state = s;
        p.speed = speed_of(s);
        p.loops = loops(s);
        p.second = p.speed < 0 ? motion(p).seconds() : 0;
        p.ended = motion(p).seconds() <= 0;
        p.blend = playing.empty() ? 0 : blend;
        p.shape = shape;
        playing.push_back(p);
        if (p.blend <= 0) playing.erase(playing.begin(), playing.end() - 1);
    }

    bool holds(const Transition& transition) const {
        return std::all_of(transition.when.begin(), transition.when.end(),
                           [&](const auto& flag) { return flags.at(flag.first) == flag.second; });
    }

    bool starts_at(const Transition& transition) const {
        return transition.from == "*" || transition.from == state(playing.back()).name;
    }

    /// Takes the first way that is open. At the end of a clip all are looked at, else those that do
    /// not wait for it.
    bool go(bool at_end) {
        for (const Transition* transition : transitions) {
            if (!starts_at(*transition) || (transition->at_end && !at_end)) continue;
            if (!transition->on.empty() && !pending.contains(transition->on)) continue;
            if (!holds(*transition)) continue;
            const bool same = transition->to == state(playing.back()).name;
            if (same && !transition->restart) {
                if (pending.erase(transition->on) > 0)
                    step.unheard.push_back(transition->on);  // it plays already
                continue;
            }
            pending.erase(transition->on);
            enter(sheet.find(transition->to), transition->blend, transition->shape);
            step.began = true;
            return true;
        }
        return false;
    }

    /// Wall seconds until a clip ends; no end for those that stand.
    double until_end(const Playing& p) const {
        if (p.ended || p.speed == 0) return std::numeric_limits<double>::infinity();
        const double left = p.speed > 0 ? motion(p).seconds() - p.second : p.second;
        return left / std::abs(p.speed);
    }

    /// Moves one clip by wall seconds, which do not go beyond its end; what its root travels.
    Transform move(Playing& p, double dt) {
        if (p.ended) return {};
        const PlayedMotion& clip = motion(p);
        const double before = p.second, left = until_end(p);
        const bool ends = dt >= left - kSameTime_s;
        p.second = !ends ? before + p.speed * dt : p.speed > 0 ? clip.seconds() : 0;
        const Transform moved = joined(undone(clip.travelled(before)), clip.travelled(p.second));
        if (&p == &playing.back()) fire(p, before, ends && !p.loops);
        if (ends && !p.loops) p.ended = true;
        return moved;
    }

    /// A loop at its end begins again: what it has travelled goes on from there.
    void next_turn(Playing& p) {
        if (!p.loops || p.speed == 0 || until_end(p) > kSameTime_s) return;
        p.second = p.speed > 0 ? 0 : motion(p).seconds();
        ++p.rounds;
    }

    /// Cues from `before` on and before where the clip is now; at its last end that, too.
    void fire(const Playing& p, double before, bool with_end) {
        const auto passed = [&](double at) {
            const bool end = with_end && std::abs(at - p.second) < kSameTime_s;
            if (p.speed > 0)
                return end || (at >= before - kSameTime_s && at < p.second - kSameTime_s);
            return end || (at <= before + kSameTime_s && at > p.second + kSameTime_s);
        };
        struct Passed {
            double at;
            FiredCue cue;
        };
        std::vector<Passed> all;
        for (const Cue& cue : motion(p).facts().cues) {
            if (passed(cue.first)) all.push_back({cue.first, {cue.name, cue.joint, false}});
            if (cue.last > cue.first && passed(cue.last))
                all.push_back({cue.last, {cue.name, cue.joint, true}});
        }
        std::stable_sort(all.begin(), all.end(), [&](const Passed& a, const Passed& b) {
            return p.speed > 0 ? a.at < b.at : a.at > b.at;
        });
        for (Passed& one : all) step.cues.push_back(std::move(one.cue));
    }

    /// All clips go on by wall seconds that end no clip of the last state early.
    void move_all(double dt) {
        Transform moved;
        for (std::size_t i = 0; i < playing.size(); ++i) {
            Playing& p = playing[i];
            const Transform own = i + 1 == playing.size() ? move(p, dt) : move_through(p, dt);
            // Of a step its middle stands for all of it.
            moved = i == 0 ? own : mixed(moved, own, p.weight_at(p.blended + dt / 2));
            p.blended += dt;
        }
        heading += twist_angle(moved.r, {0, 1, 0});
        place = joined(place, moved);
        std::size_t below = playing.size();
        while (below > 1 && playing[below - 1].weight() < 1) --below;
        playing.erase(playing.begin(), playing.begin() + static_cast<std::ptrdiff_t>(below - 1));
    }

    /// The same for a clip that fades: over any number of its ends.
    Transform move_through(Playing& p, double dt) {
        Transform moved;
        while (dt > 0 && !p.ended && p.speed != 0) {
            const double now = std::min(dt, until_end(p));
            moved = joined(moved, move(p, now));
            next_turn(p);
            dt -= now;
        }
        return moved;
    }

    void pose() {
        std::vector<Transform> all, one;
        for (std::size_t i = 0; i < playing.size(); ++i) {
            motion(playing[i]).pose(playing[i].second, i == 0 ? all : one);
            const double w = playing[i].weight();
            for (std::size_t n = 0; i > 0 && n < all.size(); ++n) all[n] = mixed(all[n], one[n], w);
        }
        Transform& top = all[at(root)];
        const Vec3 size = top.s;
        top = joined(place, {top.t, top.r, {1, 1, 1}});
        top.s = size;
        worlds.resize(all.size());
        for (const int n : order) {
            const int up = skin.nodes[at(n)].parent;
            worlds[at(n)] = to_affine(all[at(n)]);
            if (up != kNone) worlds[at(n)] = worlds[at(up)] * worlds[at(n)];
        }
    }

    void advance(double dt) {
        step = {};
        go(playing.back().ended);
        while (dt > kSameTime_s) {
            const double now = std::min(dt, until_end(playing.back()));
            move_all(now);
            dt -= now;
            Playing& last = playing.back();
            if (last.ended || until_end(last) <= kSameTime_s)
                if (!go(true)) next_turn(last);
            if (playing.back().ended && until_end(playing.back()) > dt) {
                if (dt > 0) move_all(dt);
                break;
            }
        }
        for (auto at = pending.begin(); at != pending.end();) {
            const bool heard = std::any_of(
                transitions.begin(), transitions.end(), [&](const Transition* transition) {
                    return transition->on == *at && starts_at(*transition);
                });
            if (heard) {
                ++at;
                continue;
            }
            step.unheard.push_back(*at);
            at = pending.erase(at);
        }
        pose();
    }
};

StandIn::StandIn(std::unique_ptr<Parts> parts) : parts_(std::move(parts)) {}

StandIn::StandIn(StandIn&&) noexcept = default;
StandIn& StandIn::operator=(StandIn&&) noexcept = default;
StandIn::~StandIn() = default;

Result<StandIn> StandIn::make(const Crate& crate, const StateSheet& sheet) {
    auto parts = std::make_unique<Parts>();
    parts->skin = crate.skin;
    parts->sheet = sheet;
    std::vector<std::string> names;
    std::map<std::string, std::size_t, std::less<>> places;
    for (const ClipInfo& clip : crate.clips) {
        places.emplace(clip.name, names.size());
        names.push_back(clip.name);
    }
    Findings wrong;
    std::map<std::string, std::size_t> used;
    for (const State& state : sheet.states) {
        const auto found = places.find(state.clip);
        if (found == places.end()) {
            wrong.push_back({Code::kNameUnknown, Severity::kStop, state.where.at("clip"),
                             fmt::format("no clip \"{}\" in the crate", state.clip),
                             suggest(state.clip, names), "clip = one of them, or pack it"});
            continue;
        }
        const std::size_t index = found->second;
        const Scene& motion = crate.motions[index];
        // The root of a clip is the joint that none of its joints is above.
        for (const Node& node : motion.nodes)
            if (parts->root == kNone && node.parent == kNone)
                parts->root = find_node(parts->skin, node.name);
        if (parts->root == kNone) {
            wrong.push_back({Code::kSkeletonDiffers, Severity::kStop, state.where.at("clip"),
                             "a clip whose root is no joint of the skin", "clips of this figure",
                             "pack the crate again"});
            continue;
        }
        const auto [have, fresh] = used.try_emplace(state.clip, parts->clips.size());
        if (fresh) parts->clips.emplace_back(crate.clips[index], motion, parts->skin, parts->root);
        parts->clip_of.push_back(have->second);
    }
    if (!wrong.empty()) return wrong;
    for (const ClipInfo& clip : crate.clips)
        for (const Cue& cue : clip.cues)
            if (!used.contains(clip.name))
                parts->idle_cues.push_back(cue.name + " of " + clip.name);
    parts->transitions = in_order(parts->sheet);
    for (const Node& node : parts->skin.nodes) parts->names.push_back(node.name);
    parts->order = parents_first(parts->skin);
    for (const auto& [flag, value] : sheet.flags) parts->flags[flag] = value;
    parts->enter(sheet.find(sheet.start), 0, CurveShape::kSmooth);
    parts->pose();
    return StandIn(std::move(parts));
}

Findings StandIn::check() const {
    const Parts& p = *parts_;
    Findings out;
    const auto add = [&](Code code, const Place& where, std::string found, std::string expected,
                         std::string remedy) {
        out.push_back({code, Severity::kWarning, where, std::move(found), std::move(expected),
                       std::move(remedy)});
    };
    const Leads leads(p.sheet);
    const auto led_to = [&](const std::string& name) {
        return std::ranges::any_of(p.sheet.transitions, [&](const Transition& transition) {
            return transition.to == name;
        });
    };
    for (const DeadTransition& dead : dead_transitions(p.sheet))
        add(Code::kWayShadowed, dead.transition->where,
            dead.in_front == nullptr
                ? fmt::format("the way from \"{}\" to \"{}\" asks for a flag and for its opposite",
                              dead.transition->from, dead.transition->to)
                : fmt::format("the way from \"{}\" to \"{}\" is never taken: that to \"{}\" ({}) "
                              "stands before it and asks for no more",
                              dead.transition->from, dead.transition->to, dead.in_front->to,
                              dead.in_front->where.text()),
            "ways that can be taken",
            dead.in_front == nullptr
                ? "take one of the two out of when"
                : "a higher priority; or what the other is not to be taken for, in its when");
    const std::set<std::string> reached = leads.reached(p.sheet.start);
    for (std::size_t s = 0; s < p.sheet.states.size(); ++s) {
        const State& state = p.sheet.states[s];
        const PlayedMotion& clip = p.clips[p.clip_of[s]];
        const int index = static_cast<int>(s);
        if (!reached.contains(state.name))
            add(Code::kStateUnreached, state.where,
                fmt::format("no way {}leads to \"{}\"",
                            led_to(state.name) ? "that can be taken " : "", state.name),
                "a way to it, or start",
                "[[way]] with to = " + toml_text(state.name) + ", and what it waits for");
        if (!leads.away(state.name) && !p.loops(index) && p.sheet.states.size() > 1)
            add(Code::kStateStuck, state.where,
                fmt::format("\"{}\" plays once, and no way leads on", state.name), "a way from it",
                fmt::format("[[way]]\nfrom = {}\nto = {}\nat_end = true", toml_text(state.name),
                            toml_text(index == p.sheet.find(p.sheet.start)
                                          ? p.sheet.states[s == 0 ? 1 : 0].name
                                          : p.sheet.start)));
        const Vec3 seam = p.loops(index) ? clip.seam() : Vec3{};
        const bool climbs = std::abs(seam.y) > 0.9 * length(seam);
        if (length(seam) > kSeam_m)
            add(Code::kStateSeam, state.where,
                fmt::format("\"{}\" begins again {:.0f} mm from where it ends{}", state.clip,
                            length(seam) * 1000, clip.loops() ? "" : ", as a clip that plays once"),
                "a loop, whose travel is on its root",
                fmt::format("loop = true and travel = [{}] in the recipe; or loop = false here",
                            climbs ? "\"height\"" : "\"ground\", \"heading\""));
    }
    for (const Transition& transition : p.sheet.transitions) {
        if (transition.when.empty() && transition.on.empty() && !transition.at_end)
            add(Code::kWayOpen, transition.where,
                fmt::format("nothing holds back the way from \"{}\" to \"{}\"", transition.from,
                            transition.to),
                "when, on or at_end", "at_end = true");
        for (const int place : leads.states({transition.from, transition.to})) {
            const auto s = at(place);
            const State& state = p.sheet.states[s];
            const double speed = std::abs(p.speed_of(static_cast<int>(s)));
            const double lasts = p.clips[p.clip_of[s]].seconds() / std::max(speed, 1e-9);
            if (!p.loops(static_cast<int>(s)) && lasts > 0 && transition.blend > lasts)
                add(Code::kBlendLong, transition.where,
                    fmt::format("a blend of {:g} s with \"{}\", which lasts {:.3g} s",
                                transition.blend, state.name, lasts),
                    "a blend no longer than its clips", "a shorter blend");
        }
    }
    const auto asked = [&](const auto& asks) {
        return std::any_of(p.sheet.transitions.begin(), p.sheet.transitions.end(), asks);
    };
    std::vector<std::string> idle;
    for (const auto& [flag, first] : p.sheet.flags)
        if (!asked([&name = flag](const Transition& transition) {
                return std::any_of(transition.when.begin(), transition.when.end(),
                                   [&](const auto& when) { return when.first == name; });
            }))
            idle.push_back(flag);
    for (const std::string& signal : p.sheet.signals)
        if (!asked([&](const Transition& transition) { return transition.on == signal; }))
            idle.push_back(signal);
    if (!idle.empty())
        out.push_back({Code::kLeftOut, Severity::kNote, Place::in(p.sheet.file),
                       "no way asks for " + name_list(idle), "a way with when or on",
                       "take them out, or nothing, if this is meant"});
    if (!p.idle_cues.empty())
        add(Code::kCueUnreached, Place::in(p.sheet.file),
            "cues of clips in no state: " + name_list(p.idle_cues), "",
            "a state with the clip, or nothing, if this is meant");
    return out;
}

void StandIn::set(const std::string& flag, bool value) {
    if (const auto found = parts_->flags.find(flag); found != parts_->flags.end())
        found->second = value;
}

void StandIn::send(const std::string& signal) {
    const auto& known = parts_->sheet.signals;
    if (std::find(known.begin(), known.end(), signal) != known.end())
        parts_->pending.insert(signal);
}

PlayStep StandIn::advance(double seconds) {
    Parts& p = *parts_;
    p.advance(seconds);
    p.seconds += seconds;
    PlayStep& step = p.step;
    step.seconds = p.seconds;
    const auto& last = p.playing.back();
    step.state = p.state(last).name;
    step.state_seconds = last.second;
    step.rounds = last.rounds;
    double rest = 1;
    for (std::size_t i = p.playing.size(); i-- > 0;) {
        const double w = i == 0 ? rest : rest * p.playing[i].weight();
        if (w > 0) step.mix.insert(step.mix.begin(), {p.state(p.playing[i]).name, w});
        rest -= w;
    }
    step.root = p.place.t;
    step.heading_rad = p.heading;
    return std::move(step);
}

const std::vector<std::string>& StandIn::joints() const { return parts_->names; }
const std::vector<Affine>& StandIn::worlds() const { return parts_->worlds; }

std::vector<PlayStep> play_events(StandIn& player, const std::vector<PlayEvent>& events,
                                  double seconds, double rate) {
    std::vector<PlayStep> out;
    std::size_t next = 0;
    const auto steps = static_cast<std::size_t>(std::llround(seconds * rate));
    for (std::size_t k = 0; k < steps; ++k) {
        for (; next < events.size() && events[next].seconds <= static_cast<double>(k) / rate + 1e-9;
             ++next)
            if (events[next].signal)
                player.send(events[next].name);
            else
                player.set(events[next].name, events[next].value);
        out.push_back(player.advance(1 / rate));
        out.back().seconds = static_cast<double>(k + 1) / rate;
    }
    return out;
}

}  // namespace mellow
