// Animations and clips of a COLLADA file (COLLADA 1.4.1, "animation", "sampler", "channel", and
// "Address syntax" in chapter 3).
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <set>

#include "base/at.h"
#include "math/degrees.h"
#include "read/collada_build.h"

namespace mellow {
namespace {

/// "node/rotateX.ANGLE" taken apart. `member` is what follows the last point, `cells` the numbers
/// in brackets.
struct Address {
    std::vector<std::string> steps;
    std::string member;
    std::vector<int> cells;
};

Address parse_address(std::string_view text) {
    Address out;
    std::size_t bracket = text.find('(');
    if (bracket == std::string_view::npos) bracket = text.size();
    for (std::size_t p = bracket; p < text.size() && text[p] == '(';) {
        int cell = 0;
        const auto [stop, code] = std::from_chars(&text[p] + 1, text.data() + text.size(), cell);
        if (code != std::errc{} || stop == text.data() + text.size() || *stop != ')') break;
        out.cells.push_back(cell);
        p = static_cast<std::size_t>(stop - text.data()) + 1;
    }
    text = text.substr(0, bracket);
    const std::size_t slash = text.find_last_of('/');
    const std::size_t point = text.find_last_of('.');
    if (point != std::string_view::npos && slash != std::string_view::npos && point > slash) {
        out.member = text.substr(point + 1);
        text = text.substr(0, point);
    }
    for (std::size_t from = 0; from <= text.size();) {
        const std::size_t to = std::min(text.find('/', from), text.size());
        out.steps.emplace_back(text.substr(from, to - from));
        from = to + 1;
    }
    return out;
}

/// First member and number of members that an address means within an element; width 0 for none.
std::pair<int, int> members_of(const Address& address, StackKind kind) {
    const int count = member_count(kind);
    if (address.cells.size() == 1 && address.cells[0] >= 0 && address.cells[0] < count)
        return {address.cells[0], 1};
    // Matrices are addressed column first: (3)(0) is the fourth number of the first row.
    if (address.cells.size() == 2 && kind == StackKind::kMatrix)
        if (const int c = address.cells[0], r = address.cells[1];
            c >= 0 && c < 4 && r >= 0 && r < 4)
            return {4 * r + c, 1};
    if (!address.cells.empty()) return {0, 0};
    if (address.member.empty()) return {0, count};
    if (address.member == "ANGLE" && kind == StackKind::kRotate) return {3, 1};
    if (address.member == "ANGLE" && kind == StackKind::kSkew) return {0, 1};
    constexpr std::string_view kAxes = "XYZ";
    if (address.member.size() == 1 && kAxes.find(address.member[0]) != std::string_view::npos &&
        (kind == StackKind::kTranslate || kind == StackKind::kScale || kind == StackKind::kRotate))
        return {static_cast<int>(kAxes.find(address.member[0])), 1};
    return {0, 0};
}

class TimelineReader {
  public:
    explicit TimelineReader(ColladaBuild& build) : build_(build), doc_(build.doc) {}

    void run() {
        std::vector<pugi::xml_node> tops;
        for (const pugi::xml_node library : children(doc_.root(), "library_animations"))
            for (const pugi::xml_node animation : children(library, "animation"))
                tops.push_back(animation);
        std::set<ColladaBuild::Element> in_clips;
        for (const pugi::xml_node library : children(doc_.root(), "library_animation_clips"))
            for (const pugi::xml_node clip : children(library, "animation_clip")) {
                std::vector<pugi::xml_node> parts;
                for (const pugi::xml_node i : children(clip, "instance_animation"))
                    if (const auto a = doc_.target(i.attribute("url").value(), "animation", i)) {
                        parts.push_back(a);
                        in_clips.insert(a.internal_object());
                    }
                add_timeline(clip, parts);
            }
        std::erase_if(tops,
                      [&](pugi::xml_node a) { return in_clips.contains(a.internal_object()); });
        if (!tops.empty()) add_timeline({}, tops);
        start_at_zero();
        keep_moved_stacks();
        if (left_out_ > 0)
            doc_.note(
                Code::kLeftOut, Severity::kWarning, child(doc_.root(), "library_animations"),
                fmt::format("{} channels that move no transform or morph weight, the first: {}",
                            left_out_, first_left_out_),
                "channels of nodes and morph weights",
                "bake it to a node in the source if it matters");
    }

  private:
    void add_timeline(pugi::xml_node clip, const std::vector<pugi::xml_node>& parts) {
        timeline_ = {};
        taken_.clear();
        for (const pugi::xml_node part : parts) add_animation(part, 0);
        if (doc_.failed()) return;
        if (timeline_.members.empty() && timeline_.channels.empty()) {
            if (clip)
                doc_.note(Code::kLeftOut, Severity::kWarning, clip, "a clip that moves nothing",
                          "animations of nodes of this file", "nothing, if it is not needed");
            return;
        }
        std::stable_sort(timeline_.members.begin(), timeline_.members.end(),
                         [](const MemberCurve& a, const MemberCurve& b) {
                             return std::pair(a.node, a.element) < std::pair(b.node, b.element);
                         });
        lower_matrices();
        timeline_.name = extra_of(clip, "name", true);
        for (const char* name : {"name", "id"})
            if (timeline_.name.empty()) timeline_.name = clip.attribute(name).value();
        if (timeline_.name.empty()) timeline_.name = clip ? "clip" : "motion";
        if (clip) {
            const std::array keys = key_span(timeline_);
            const double start = clip.attribute("start").as_double(0),
                         end = clip.attribute("end").as_double(keys[1]);
            if (!(std::abs(start) < kLongest_s && std::abs(end) < kLongest_s && end >= start))
                return doc_.fail(Code::kColladaBroken, clip,
                                 fmt::format("from {} to {} s", start, end),
                                 "an end at or after the start");
            timeline_.span = std::array{start, end};
            put_earlier(timeline_, start);  // a clip begins at its start
        }
        build_.scene.timelines.push_back(std::move(timeline_));
    }

    void add_animation(pugi::xml_node animation, std::size_t depth) {
        if (depth > doc_.limits.depth)
            return doc_.fail(Code::kLimit, animation, "animations nested too deeply",
                             fmt::format("{} levels at most", doc_.limits.depth));
        for (const pugi::xml_node c : children(animation)) {
            if (doc_.failed()) return;
            if (local_name(c) == "animation") add_animation(c, depth + 1);
            if (local_name(c) == "channel") add_channel(c);
        }
    }

    void add_channel(pugi::xml_node channel) {
        const std::string_view text = channel.attribute("target").value();
        const Address address = parse_address(text);
        pugi::xml_node element = doc_.by_id(address.steps[0]);
        for (std::size_t i = 1; element && i < address.steps.size(); ++i)
            element = ColladaDocument::by_sid(element, address.steps[i]);
        MemberCurve curve;
        const std::vector<int>* nodes = nullptr;
        if (const auto owner = build_.nodes_of.find(element.parent().internal_object());
            element && owner != build_.nodes_of.end()) {
            const auto& stack = build_.stack_elements[at(owner->second[0])];
            const auto found = std::find(stack.begin(), stack.end(), element.internal_object());
            if (found != stack.end()) {
                nodes = &owner->second;
                curve.element = static_cast<int>(found - stack.begin());
            }
        } else if (element) {
            const pugi::xml_node source =
                local_name(element) == "float_array" ? element.parent() : element;
            const auto weights = build_.weights_of.find(source.internal_object());
            if (weights != build_.weights_of.end()) nodes = &weights->second;
        }
        if (nodes == nullptr) {
            if (left_out_++ == 0) first_left_out_ = text;
            return;
        }
        StackKind kind = StackKind::kScale;
        int width = 0;
        if (curve.element == kNone) {
            const int targets = morph_count(build_.scene, (*nodes)[0]);
            if (address.cells.size() == 1) curve.member = address.cells[0], width = 1;
            if (address.cells.empty()) width = targets;
            if (width == 0 || curve.member < 0 || curve.member + width > targets)
                return doc_.fail(Code::kColladaBroken, channel, "the target " + std::string(text),
                                 fmt::format("one of {} morph weights, such as (0)", targets));
        } else {
            kind = build_.scene.nodes[at((*nodes)[0])].stack[at(curve.element)].kind;
            std::tie(curve.member, width) = members_of(address, kind);
            if (width == 0)
                return doc_.fail(Code::kColladaBroken, channel, "the target " + std::string(text),
                                 "a member that the element has, such as .X, .ANGLE or (3)(0)");
        }
        read_sampler(doc_.target(channel.attribute("source").value(), "sampler", channel), curve,
                     width, kind);
        if (doc_.failed() || curve.times.empty()) return;
        const bool angle_in = kind == StackKind::kRotate || kind == StackKind::kSkew;
        if (angle_in && curve.element != kNone)
            to_radians(curve, kind == StackKind::kRotate ? 3 : 0);
        for (const int node : *nodes) add_curve(channel, node, curve);
    }

    void add_curve(pugi::xml_node channel, int node, const MemberCurve& curve) {
        bool fresh = true;
        for (int m = 0; m < curve.width; ++m)
            fresh &= taken_.emplace(node, curve.element, curve.member + m).second;
        if (!fresh)
            return doc_.note(
                Code::kLeftOut, Severity::kWarning, channel,
                fmt::format("a second curve for {}", channel.attribute("target").value()),
                "one curve each", "the first one counts; remove the other");
        // Morph weights go one by one: each has keys of its own.
        const int pieces = curve.element == kNone ? curve.width : 1;
        for (int piece = 0; piece < pieces; ++piece) {
            MemberCurve one = pieces == 1 ? curve : only(curve, piece);
            one.node = node;
            timeline_.members.push_back(std::move(one));
        }
    }

    static MemberCurve only(const MemberCurve& curve, int member) {
        MemberCurve out = curve;
        out.member = curve.member + member;
        out.width = 1;
        const std::size_t width = at(curve.width);
        const auto pick = [&](const std::vector<double>& from, std::size_t numbers) {
            std::vector<double> to;
            for (std::size_t i = 0; i < from.size(); ++i)
                if (i / numbers % width == at(member)) to.push_back(from[i]);
            return to;
        };
        out.values = pick(curve.values, 1);
        out.before = pick(curve.before, 2);
        out.after = pick(curve.after, 2);
        return out;
    }

    static void to_radians(MemberCurve& curve, int angle) {
        const std::size_t width = at(curve.width);
        if (angle < curve.member || angle >= curve.member + curve.width) return;
        const std::size_t column = at(angle - curve.member);
        for (std::size_t i = column; i < curve.values.size(); i += width)
            curve.values[i] *= kRadians;
        for (std::vector<double>* control : {&curve.before, &curve.after})
            for (std::size_t i = 2 * column + 1; i < control->size(); i += 2 * width)
                (*control)[i] *= kRadians;
    }

    // ---- samplers
    void read_sampler(pugi::xml_node sampler, MemberCurve& curve, int width, StackKind kind) {
        const pugi::xml_node input = doc_.input(sampler, "INPUT"),
                             output = doc_.input(sampler, "OUTPUT");
        if (!sampler || !input || !output)
            return doc_.note(Code::kLeftOut, Severity::kWarning, sampler,
                             "a sampler without INPUT or OUTPUT", "both",
                             "what it would move stands still; mend the file");
        ColladaArray times = doc_.array(input), values = doc_.array(output);
        if (doc_.failed() || times.count == 0) return;
        const bool just_angle = kind == StackKind::kRotate && width == 4 && values.width == 1;
        if (just_angle) {
            doc_.note(Code::kAssumed, Severity::kNote, sampler,
                      "one number per key for a whole rotation", "axis and angle, or .ANGLE",
                      "it was taken as the angle");
            curve.member = 3, width = 1;
        }
        if (times.width != 1 || values.width != at(width) || values.count != times.count) {
            // Some files give the numbers of all members as one row of single ones.
            if (times.width != 1 || values.values.size() != times.count * at(width))
                return doc_.fail(Code::kColladaBroken, sampler,
                                 fmt::format("{} keys, and {} values of {} numbers", times.count,
                                             values.count, values.width),
                                 fmt::format("as many values as keys, of {} numbers", width));
        }
        keys_ += times.count;
        if (keys_ > doc_.limits.keys)
            return doc_.fail(Code::kLimit, sampler, fmt::format("{} keys so far", keys_),
                             fmt::format("at most {}", doc_.limits.keys));
        curve.width = width;
        curve.times = std::move(times.values);
        curve.values = std::move(values.values);
        read_shapes(sampler, curve);
        if (!doc_.failed()) check_times(input, curve);
    }

    void read_shapes(pugi::xml_node sampler, MemberCurve& curve) {
        const pugi::xml_node source = doc_.input(sampler, "INTERPOLATION");
        const std::vector<std::string> names = doc_.names(source);
        const std::size_t keys = curve.times.size();
        bool curved = false;
        for (const std::string& name : names) {
            const bool bends = name == "BEZIER" || name == "HERMITE";
            if (!bends && name != "LINEAR" && name != "STEP")
                return doc_.fail(Code::kColladaUnsupported, sampler, "the interpolation " + name,
                                 "LINEAR, STEP, BEZIER or HERMITE",
                                 "write the curve with one of these");
            curved |= bends;
            curve.shapes.push_back(name == "STEP" ? KeyShape::kStep
                                   : bends        ? KeyShape::kBezier
                                                  : KeyShape::kLinear);
        }
        if (names.size() != keys) {
            doc_.note(Code::kAssumed, Severity::kWarning, sampler,
                      fmt::format("{} interpolations for {} keys", names.size(), keys),
                      "one per key",
                      names.empty() ? "LINEAR was assumed" : "the last one was repeated");
            curve.shapes.resize(keys, names.empty() ? KeyShape::kLinear : curve.shapes.back());
        }
        if (curved) read_tangents(sampler, curve, names);
        if (doc_.failed()) return;
        if (std::all_of(curve.shapes.begin(), curve.shapes.end(),
                        [&](KeyShape s) { return s == curve.shapes[0]; }))
            curve.shapes = {curve.shapes[0]};
    }

    /// Control points from tangents. Bezier tangents are the points themselves; those of Hermite
    /// curves are three times the way from the key to the point (COLLADA 1.4.1, "Curve
    /// interpolation"). Without times the points stand at thirds of the segment.
    void read_tangents(pugi::xml_node sampler, MemberCurve& curve,
                       const std::vector<std::string>& names) {
        const std::size_t keys = curve.times.size(), width = at(curve.width);
        for (const bool ahead : {false, true}) {
            const pugi::xml_node source = doc_.input(sampler, ahead ? "OUT_TANGENT" : "IN_TANGENT");
            ColladaArray t;
            if (source) t = doc_.array(source);
            if (doc_.failed()) return;
            const std::size_t per = t.values.size() / keys;
            const bool pairs = per == 2 * width, shared = !pairs && per == width + 1,
                       bare = per == width;
            if (t.values.size() != keys * per || (!pairs && !shared && !bare))
                return doc_.fail(
                    Code::kColladaBroken, sampler,
                    fmt::format("{} tangent numbers for {} keys", t.values.size(), keys),
                    fmt::format("{} or {} per key", 2 * width, width));
            std::vector<double>& control = ahead ? curve.after : curve.before;
            control.resize(2 * keys * width);
            for (std::size_t k = 0; k < keys; ++k) {
                const std::size_t other = ahead ? std::min(k + 1, keys - 1) : k == 0 ? 0 : k - 1;
                const double here = curve.times[k], there = curve.times[other];
                // The segment after a key is shaped by the key's own word.
                const std::string& shape = names[std::min(ahead ? k : other, names.size() - 1)];
                const bool is_hermite = shape == "HERMITE";
                for (std::size_t m = 0; m < width; ++m) {
                    const double value = curve.values[k * width + m];
                    double time = here + (there - here) / 3, point = 0;
                    const double* n = &t.values[k * per];
                    if (pairs) time = n[2 * m], point = n[2 * m + 1];
                    if (shared) time = n[0], point = n[m + 1];
                    if (bare) point = n[m];
                    if (is_hermite) {
                        if (!bare) time = here + (ahead ? time : -time) / 3;
                        point = value + (ahead ? point : -point) / 3;
                    }
                    control[2 * (k * width + m)] =
                        std::clamp(time, std::min(here, there), std::max(here, there));
                    control[2 * (k * width + m) + 1] = point;
                }
            }
        }
    }

    void check_times(pugi::xml_node input, MemberCurve& curve) {
        for (std::size_t k = 0; k < curve.times.size(); ++k)
            if (!(std::abs(curve.times[k]) <= kLongest_s) ||
                (k > 0 && curve.times[k] <= curve.times[k - 1]))
                return doc_.fail(Code::kColladaBroken, input,
                                 fmt::format("key {} at {} s after {} s", k, curve.times[k],
                                             k > 0 ? curve.times[k - 1] : 0.0),
                                 "ascending times up to 10 000 000 s");
    }

    // ---- afterwards
    /// A node whose only element is a matrix, keyed as a whole, gets channels at the same keys:
    /// between keys of a matrix, place, turn and size are blended each by itself, since the numbers
    /// of a matrix make no rotation in between.
    void lower_matrices() {
        std::vector<MemberCurve> rest;
        for (MemberCurve& curve : timeline_.members) {
            const Node& node = build_.scene.nodes[at(curve.node)];
            const bool whole = curve.element == 0 && node.stack.size() == 1 && curve.width == 16 &&
                               curve.shapes.size() == 1 && curve.shapes[0] != KeyShape::kBezier;
            if (whole)
                lower_matrix(curve);
            else
                rest.push_back(std::move(curve));
        }
        for (std::size_t i = 0; i < rest.size(); ++i)
            if (i == 0 || rest[i].node != rest[i - 1].node) check_shear(rest, i);
        timeline_.members = std::move(rest);
    }

    void lower_matrix(const MemberCurve& curve) {
        const Interpolation between =
            curve.shapes[0] == KeyShape::kStep ? Interpolation::kStep : Interpolation::kLinear;
        Curve place{between, 3, curve.times, {}}, turn{between, 4, curve.times, {}},
            size{between, 3, curve.times, {}}, shear{between, 9, curve.times, {}};
        const Node& node = build_.scene.nodes[at(curve.node)];
        StackElement element = node.stack[0];
        Quat last = node.local.r;
        double worst = 0;
        bool scaled = false;
        for (std::size_t k = 0; k < curve.times.size(); ++k) {
            std::copy_n(&curve.values[16 * k], 16, element.numbers.begin());
            const Affine matrix = compose({&element, 1});
            const Decomposed parts = decompose(matrix);
            const Transform& t = parts.transform;
            const Affine k_ = parts.shear > 0 ? shear_of(matrix, t) : Affine{};
            for (const Vec3 column : {k_.x, k_.y, k_.z})
                shear.values.append({column.x, column.y, column.z});
            worst = std::max(worst, parts.shear);
            last = nearest(t.r, last);
            place.values.append({t.t.x, t.t.y, t.t.z});
            turn.values.append({last.x, last.y, last.z, last.w});
            size.values.append({t.s.x, t.s.y, t.s.z});
            const Vec3 change = t.s - node.local.s;
            scaled |= dot(change, change) > 1e-12;
        }
        say_shear(curve.node, worst);
        timeline_.channels.push_back({curve.node, Path::kTranslation, std::move(place)});
        timeline_.channels.push_back({curve.node, Path::kRotation, std::move(turn)});
        if (scaled) timeline_.channels.push_back({curve.node, Path::kScale, std::move(size)});
        if (worst > 1e-6 || node.shear) timeline_.shears.push_back({curve.node, std::move(shear)});
    }

    /// Measures the shear of a stack at all of its keys, where it can have any.
    void check_shear(const std::vector<MemberCurve>& curves, std::size_t first) {
        std::size_t last = first;
        while (last < curves.size() && curves[last].node == curves[first].node) ++last;
        while (first < last && curves[first].element == kNone) ++first;
        if (first == last) return;
        const Node& node = build_.scene.nodes[at(curves[first].node)];
        if (!can_shear(node.stack)) return;
        const std::span<const MemberCurve> run(&curves[first], last - first);
        std::vector<double> scratch(scratch_size(run));
        double worst = 0;
        for (const MemberCurve& curve : run)
            for (const double t : curve.times) {
                Transform out;
                worst = std::max(worst,
                                 sample_stack(node.stack, run, {}, {&t, 1}, scratch.data(), &out));
            }
        say_shear(curves[first].node, worst);
    }

    void say_shear(int node, double worst) {
        if (worst > 1e-5)
            doc_.note(Code::kShear, Severity::kWarning, build_.made_of[at(node)],
                      fmt::format("motion with shear up to {:.2g} at its keys", worst),
                      "translation, rotation and scale: joints hold nothing else",
                      "scale evenly in the source; what it costs is measured when it is packed");
    }

    static void put_earlier(Timeline& t, double by) {
        for (Channel& c : t.channels)
            for (double& s : c.curve.times.edit()) s -= by;
        for (ShearCurve& c : t.shears)
            for (double& s : c.curve.times.edit()) s -= by;
        for (MemberCurve& c : t.members) {
            for (double& s : c.times) s -= by;
            for (std::size_t i = 0; i < c.before.size(); i += 2)
                c.before[i] -= by, c.after[i] -= by;
        }
        if (t.span) *t.span = {(*t.span)[0] - by, (*t.span)[1] - by};
    }

    /// Key times below 0 have no frame in most formats: everything is put later by as much. Clips
    /// begin at 0 already, whatever keys lie before.
    void start_at_zero() {
        double first = 0;
        for (const Timeline& t : build_.scene.timelines)
            if (!t.span) first = std::min(first, key_span(t)[0]);
        if (first >= 0) return;
        for (Timeline& t : build_.scene.timelines)
            if (!t.span) put_earlier(t, first);
        doc_.note(Code::kAssumed, Severity::kWarning, child(doc_.root(), "library_animations"),
                  fmt::format("keys from {} s on", first), "keys from 0 s on",
                  fmt::format("all keys were put {} s later", -first));
    }

    void keep_moved_stacks() {
        std::vector<bool> moved(build_.scene.nodes.size(), false);
        for (const Timeline& t : build_.scene.timelines)
            for (const MemberCurve& c : t.members)
                if (c.element != kNone) moved[at(c.node)] = true;
        for (std::size_t n = 0; n < moved.size(); ++n)
            if (!moved[n]) build_.scene.nodes[n].stack.clear();
    }

    ColladaBuild& build_;
    ColladaDocument& doc_;
    Timeline timeline_;
    std::set<std::tuple<int, int, int>> taken_;  // node, element, member
    int left_out_ = 0;
    std::size_t keys_ = 0;
    std::string first_left_out_;
};

}  // namespace

void read_collada_timelines(ColladaBuild& build) { TimelineReader(build).run(); }

}  // namespace mellow
