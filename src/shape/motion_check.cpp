#include "mellow/motion_check.h"

#include <algorithm>
#include <cctype>
#include <cmath>

#include "base/at.h"
#include "mellow/shaping.h"

namespace mellow {
namespace {

/// A clip that hardly moves has no median to speak of.
constexpr double kLeastMedian_m = 5e-4;
/// Half of the time over which a body's speed is taken: steps even out.
constexpr double kStep_s = 0.25;
/// A rest pose stands on the ground as far as this share of its height.
constexpr double kFloats = 0.15;

/// Slower ones do not roll.
constexpr double kRolls_m_s = 0.05;
/// Less between two samples is no turn.
constexpr double kTurns_rad = 0.01;

/// Worlds of joints by joint and sample; of `wheels` with their axes, else places alone.
std::vector<std::vector<Vec3>> places_of(const Clip& clip, const Skeleton& skeleton,
                                         const std::vector<int>& wheels,
                                         std::vector<std::vector<Quat>>& turns) {
    std::vector<std::vector<Vec3>> out(at(skeleton.size()));
    turns.resize(wheels.size());
    std::vector<Affine> worlds(out.size());
    for (int k = 0; k < clip.samples; ++k) {
        for (int j = 0; j < skeleton.size(); ++j) {
            const Affine local = to_affine(local_at(clip.joints[at(j)], k));
            const int up = skeleton[j].parent;
            worlds[at(j)] = up < 0 ? local : worlds[at(up)] * local;
            out[at(j)].push_back(worlds[at(j)].o);
        }
        for (std::size_t w = 0; w < wheels.size(); ++w)
            turns[w].push_back(rotation_of(worlds[at(wheels[w])]));
    }
    return out;
}

WheelMotion wheel_motion(const std::string& joint, const std::vector<Vec3>& places,
                         const std::vector<Quat>& turns, double rate) {
    WheelMotion out;
    out.joint = joint;
    std::vector<double> radii;
    for (std::size_t k = 1; k < places.size(); ++k) {
        const Vec3 moved = places[k] - places[k - 1], flat{moved.x, 0, moved.z};
        const double step = length(flat);
        if (step * rate < kRolls_m_s) continue;
        ++out.moving;
        // The turn from one sample to the next, as a vector along its axis.
        const Quat q = nearest(turns[k] * conjugate(turns[k - 1]), {});
        const Vec3 axis{q.x, q.y, q.z};
        const double sine = length(axis), turn = 2 * std::atan2(sine, q.w);
        const Vec3 about = cross({0, 1, 0}, flat) * (1 / step);
        const double rolled = sine > 0 ? dot(axis, about) / sine * turn : 0;
        if (rolled > kTurns_rad) radii.push_back(step / rolled);
        if (rolled < -kTurns_rad && out.against++ == 0) out.sample = static_cast<int>(k);
    }
    if (radii.empty()) return out;
    const auto middle = radii.begin() + static_cast<std::ptrdiff_t>(radii.size() / 2);
    std::nth_element(radii.begin(), middle, radii.end());
    out.radius_m = *middle;
    return out;
}

double on_ground(Vec3 a, Vec3 b) { return std::hypot(a.x - b.x, a.z - b.z); }

/// How far something goes a second at each sample, over the two intervals around it.
std::vector<Vec3> speeds_of(const std::vector<Vec3>& places, double rate, std::size_t around) {
    const std::size_t n = places.size();
    std::vector<Vec3> out(n);
    for (std::size_t k = 0; k < n && n > 1; ++k) {
        const std::size_t a = k < around ? 0 : k - around, b = std::min(k + around, n - 1);
        out[k] = (places[b] - places[a]) * (rate / static_cast<double>(b - a));
    }
    return out;
}

FootMotion foot_motion(const std::string& joint, const std::vector<Vec3>& places, double rest_m,
                       double rate, const std::vector<double>& body, const FootRules& rules) {
    FootMotion out;
    out.joint = joint;
    const auto n = places.size();
    const std::vector<Vec3> moves = speeds_of(places, rate, 1);
    std::vector<double> speed;
    for (const Vec3 v : moves) speed.push_back(length(v));
    // What goes with the ground, or stays behind the body.
    const auto behind = [&](std::size_t k, double times) {
        return !body.empty() && std::abs(moves[k].y) < rules.still_m_s &&
               std::hypot(moves[k].x, moves[k].z) < times * rules.behind * body[k];
    };
    const auto slow = [&](std::size_t k) { return speed[k] < rules.still_m_s || behind(k, 1); };
    const auto close = [&](Contact& c) {
        // What is being set down, or taken up, rolls: only where it is low and slow does it slide.
        const auto counts = [&](int k) {
            return slow(at(k)) && places[at(k)].y - rest_m - rules.ground_m < rules.touch_m;
        };
        const auto farthest = [&](int from, double& far) {
            int found = from;
            for (int k = c.first; k <= c.last; ++k)
                if (const double d = on_ground(places[at(k)], places[at(from)]);
                    counts(k) && d > far)
                    far = d, found = k;
            return found;
        };
        double far = 0;
        const int end = farthest(c.first, far);
        far = 0;
        (void)farthest(end, far);
        c.slide_m = far;
        if (far > out.slide_m) out.slide_m = far, out.slide_sample = end;
        out.contacts.push_back(c);
    };
    bool stands = false;
    Contact now;
    for (std::size_t k = 0; k < n; ++k) {
        const double height = places[k].y - rest_m - rules.ground_m;
        if (-height > out.depth_m) out.depth_m = -height, out.depth_sample = static_cast<int>(k);
        if (!stands && height < rules.touch_m && slow(k)) {
            stands = true;
            now = {static_cast<int>(k), static_cast<int>(k), 0};
        } else if (stands &&
                   (height > rules.leave_m || (speed[k] > rules.moving_m_s && !behind(k, 1.5)))) {
            stands = false;
            close(now);
        }
        if (stands) now.last = static_cast<int>(k);
    }
    if (stands) close(now);
    return out;
}

/// At which height each foot stands on ground 0: where it rests. A rest pose that does not stand
/// there, as those of captures that rest at the origin or lie on an axis, says only by how much
/// feet differ: the ground is then where the lowest of them comes.
std::vector<double> standing_levels(const Skeleton& skeleton, const MotionSubjects& subjects,
                                    const std::vector<std::vector<Vec3>>& places) {
    const std::vector<Affine> rest = skeleton.rest_worlds();
    std::vector<double> out;
    double low = 1e300, high = -1e300;
    for (const Affine& world : rest)
        low = std::min(low, world.o.y), high = std::max(high, world.o.y);
    for (const int foot : subjects.feet) out.push_back(rest[at(foot)].o.y);
    if (out.empty()) return out;
    const double size = high - low, lowest = *std::min_element(out.begin(), out.end());
    if (lowest > -kFloats * size && lowest < low + kFloats * size && low < kFloats * size)
        return out;
    // A few samples of noise do not make the ground.
    std::vector<double> heights;
    for (std::size_t k = 0; k < places[at(subjects.feet[0])].size(); ++k) {
        double least = 1e300;
        for (std::size_t i = 0; i < out.size(); ++i)
            least = std::min(least, places[at(subjects.feet[i])][k].y - (out[i] - lowest));
        heights.push_back(least);
    }
    const auto at_ground = heights.begin() + static_cast<std::ptrdiff_t>(heights.size() / 50);
    std::nth_element(heights.begin(), at_ground, heights.end());
    for (double& level : out) level = *at_ground + (level - lowest);
    return out;
}

PlaneMotion plane_motion(const MotionPlane& plane, const Skeleton& skeleton,
                         const std::vector<std::vector<Vec3>>& places) {
    PlaneMotion out;
    out.plane = plane.name;
    for (const int joint : plane.joints)
        for (std::size_t k = 0; k < places[at(joint)].size(); ++k) {
            const double depth = dot(plane.at - places[at(joint)][k], plane.faces);
            if (depth <= out.depth_m) continue;
            out.joint = skeleton[joint].name;
            out.depth_m = depth, out.sample = static_cast<int>(k);
        }
    return out;
}

/// Joints with the first of the words in their names that any pair of joints, left and right, has.
std::vector<int> in_pairs(const Skeleton& skeleton, std::initializer_list<const char*> words) {
    std::vector<int> out;
    for (const char* word : words) {
        for (int j = 0; j < skeleton.size(); ++j) {
            std::string name = skeleton[j].name;
            std::transform(name.begin(), name.end(), name.begin(),
                           [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
            const auto other = other_side(skeleton[j].name);
            if (name.find(word) != std::string::npos && name.find("control") == std::string::npos &&
                other && skeleton.find(*other) >= 0)
                out.push_back(j);
        }
        if (!out.empty()) return out;
    }
    return out;
}

}  // namespace

double Pop::ratio() const { return jump_m / std::max(kLeastMedian_m, median_m); }

std::vector<int> suggest_feet(const Skeleton& skeleton) {
    return in_pairs(skeleton, {"foot", "ankle", "hoof", "paw"});
}

std::vector<int> suggest_hands(const Skeleton& skeleton) {
    return in_pairs(skeleton, {"hand", "wrist", "palm"});
}

std::vector<int> suggest_wheels(const Skeleton& skeleton) {
    std::vector<int> out;
    for (int j = 0; j < skeleton.size(); ++j) {
        const std::string& name = skeleton[j].name;
        std::size_t from = name.find("heel");
        if (from == std::string::npos || from == 0) continue;
        const char w = name[from - 1], next = from + 4 < name.size() ? name[from + 4] : ' ';
        const bool begins =
            w == 'W' ||
            (w == 'w' &&
             (from < 2 || std::isalpha(static_cast<unsigned char>(name[from - 2])) == 0));
        // What hangs on a wheel turns with it; a part of its name tells.
        const bool part = skeleton[j].parent >= 0 &&
                          std::find(out.begin(), out.end(), skeleton[j].parent) != out.end();
        if (begins && !part && std::islower(static_cast<unsigned char>(next)) == 0)
            out.push_back(j);
    }
    return out;
}

/// Whether the bends around k are those of a jump: few of them, with little before and after, that
/// end where they began (their sum is none), at another place or, for a little longer, at the same
/// one (nor is their moment). A kick bends for longer, a foot that meets the ground once. `spread`
/// samples lie within an interval of the source, over which a jump is drawn out.
template <class Bend>
bool is_jump(const Bend& bend, int k, int samples, double spread) {
    constexpr double kLittle = 0.35, kRest = 0.25;
    const double own = length(bend(k));
    const auto little = [&](int i) { return length(bend(i)) <= kLittle * own; };
    const int first = 1, last = samples - 2, drawn = static_cast<int>(std::ceil(spread - 1e-9));
    for (int n = 2; n <= 2 * drawn + 3; ++n)
        for (int s = std::max(first, k - n + 1); s <= std::min(k, last - n + 1); ++s) {
            if (!little(s - 1) || !little(s + n)) continue;
            Vec3 sum, moment;
            for (int i = s; i < s + n; ++i)
                sum = sum + bend(i), moment = moment + (i - k) * bend(i);
            if (length(sum) > kRest * own) continue;
            if (n <= drawn + 2 || length(moment) <= kRest * own) return true;
        }
    // A pose of its own at an end.
    return (k <= drawn && little(drawn + 1)) || (k > last - drawn && little(last - drawn));
}

MotionCheck check_motion(const Clip& clip, const Skeleton& skeleton,
                         const MotionSubjects& subjects) {
    MotionCheck out;
    const std::vector<int>& wheels = subjects.wheels;
    std::vector<std::vector<Quat>> turns;
    const auto places = places_of(clip, skeleton, wheels, turns);
    const std::vector<Affine> rest = skeleton.rest_worlds();
    const double rate = clip.rate.per_second();
    std::vector<double> body;
    if (subjects.hips >= 0)
        for (const Vec3 v : speeds_of(places[at(subjects.hips)], rate,
                                      std::max<std::size_t>(1, std::lround(rate * kStep_s))))
            body.push_back(std::hypot(v.x, v.z));
    const std::vector<double> stand = standing_levels(skeleton, subjects, places);
    for (std::size_t i = 0; i < subjects.feet.size(); ++i)
        out.feet.push_back(foot_motion(skeleton[subjects.feet[i]].name,
                                       places[at(subjects.feet[i])], stand[i], rate, body,
                                       subjects.rules));
    for (std::size_t w = 0; w < wheels.size(); ++w)
        out.wheels.push_back(
            wheel_motion(skeleton[wheels[w]].name, places[at(wheels[w])], turns[w], rate));
    for (const MotionPlane& plane : subjects.planes)
        out.planes.push_back(plane_motion(plane, skeleton, places));
    std::vector<double> all;
    for (int j = 0; j < skeleton.size(); ++j) {
        const std::vector<Vec3>& p = places[at(j)];
        const auto bend = [&](int i) {
            const auto n = static_cast<int>(p.size());
            return i < 1 || i + 1 >= n ? Vec3{} : p[at(i - 1)] - 2.0 * p[at(i)] + p[at(i + 1)];
        };
        for (std::size_t k = 1; k + 1 < p.size(); ++k) {
            all.push_back(length(bend(static_cast<int>(k))));
            if (all.back() <= out.pop.jump_m ||
                !is_jump(bend, static_cast<int>(k), static_cast<int>(p.size()), subjects.spread))
                continue;
            out.pop = {skeleton[j].name, static_cast<int>(k), all.back(), 0};
        }
    }
    if (all.empty()) return out;
    const auto middle = all.begin() + static_cast<std::ptrdiff_t>(all.size() / 2);
    std::nth_element(all.begin(), middle, all.end());
    out.pop.median_m = *middle;
    return out;
}

}  // namespace mellow
