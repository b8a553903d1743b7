// Tamsin's three performances on one timeline at 24 frames a second, keyed on her controls only:
//   stand 0..96 (loop)   walk 108..132 (loop, travels)   pick 144..240 (once, climbs a rung)
// Between them everything holds still, cuts to the next pose, and holds still again.
#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <numbers>

#include "moment.h"
#include "orchard.h"

namespace orchard {
namespace {

using mellow::Quat;
using mellow::Transform;
using mellow::Vec3;

constexpr double kForward = 100, kSideways = 10;  // centimetres a walk cycle
constexpr double kRung = 30;

}  // namespace

double smooth(double u) {
    u = std::clamp(u, 0.0, 1.0);
    return u * u * (3 - 2 * u);
}
double between(double u, double from, double to) { return smooth((u - from) / (to - from)); }

/// Arms down, weight on both feet, the pole upright at the right side.
Moment at_ease() {
    Moment m;
    m.shift["hips_ctl"] = {0, 0, -2.5};
    m.shift["hand_goal.L"] = {-22, -6, -8};
    m.rotate("hand_goal.L", kY, 24);
    m.shift["pole_holder"] = {17, -12, -3};
    m.rotate("clav_ctl.L", kY, 3);
    m.rotate("clav_ctl.R", kY, -3);
    for (const char* side : {".L", ".R"}) {
        const double s = side[1] == 'L' ? 1 : -1;
        m.rotate("fingers_ctl" + std::string(side), kY, s * (side[1] == 'R' ? 55 : 20));
        m.rotate("index_ctl" + std::string(side), kY, s * (side[1] == 'R' ? 50 : 12));
        m.rotate("thumb_ctl" + std::string(side), kZ, s * -15);
    }
    return m;
}

namespace {

Moment stand(double u) {
    Moment m = at_ease();
    const double breath = std::sin(2 * kTurn * u), sway = std::sin(kTurn * u);
    m.shift["hips_ctl"] = m.shift["hips_ctl"] + Vec3{0.8 * sway, 0.2 * sway, 0.35 * breath};
    m.rotate("spine_ctl", kX, 0.8 * breath);
    m.rotate("chest_ctl", kX, -1.8 * breath);
    m.rotate("head_ctl", kX, 1.2 * breath);
    m.rotate("head_ctl", kZ, 6 * sway);
    m.shift["hand_goal.L"] = m.shift["hand_goal.L"] + Vec3{0.5 * breath, 0, 0.4 * breath};
    m.blink = std::exp(-std::pow((u - 0.3) / 0.02, 2)) + std::exp(-std::pow((u - 0.8) / 0.02, 2));
    return m;
}

}  // namespace

/// One foot at `phase` of its own cycle: planted for 0.6, swinging for 0.4.
void step(Moment& m, const std::string& l, double phase, double body) {
    constexpr double kPlanted = 0.6;
    const double reach = kForward * kPlanted;
    const double swing = std::clamp((phase - kPlanted) / (1 - kPlanted), 0.0, 1.0);
    const double ahead =
        phase < kPlanted ? reach * (0.5 - phase / kPlanted) : reach * (smooth(swing) - 0.5);
    m.shift["foot_goal" + l] = {kSideways * (body + ahead / kForward), -(kForward * body + ahead),
                                9 * std::sin(std::numbers::pi * swing)};
    const double heel = 32 * between(phase, 0.38, 0.62) * (1 - between(phase, 0.7, 0.92));
    const double toe_up = 14 * between(phase, 0.8, 0.97) * (phase < 0.5 ? 0 : 1) +
                          (phase < 0.08 ? 14 * (1 - smooth(phase / 0.08)) : 0);
    m.rotate("foot_roll" + l, kX, heel - toe_up);
    m.rotate("toe_ctl" + l, kX, -0.5 * toe_up);
}

namespace {

Moment walk(double u) {
    Moment m = at_ease();
    m.shift["hips_ctl"] = {kSideways * u + 1.6 * std::sin(kTurn * u), -kForward * u,
                           -4.6 - 1.7 * std::cos(2 * kTurn * u)};
    m.rotate("hips_ctl", kZ, 4.5 * std::cos(kTurn * u));
    m.rotate("hips_ctl", kY, 2.5 * std::sin(kTurn * u));
    m.rotate("hips_ctl", kX, 3);
    m.rotate("spine_ctl", kZ, -4.5 * std::cos(kTurn * u));
    m.rotate("chest_ctl", kZ, -5 * std::cos(kTurn * u));
    m.rotate("chest_ctl", kX, 1.5 * std::cos(2 * kTurn * u));
    m.rotate("head_ctl", kZ, 4 * std::cos(kTurn * u));
    step(m, ".L", u, u);
    step(m, ".R", u < 0.5 ? u + 0.5 : u - 0.5, u);
    m.shift["hand_goal.L"] = m.shift["hand_goal.L"] + Vec3{0, -4 + 17 * std::cos(kTurn * u),
                                                           4 + 3 * std::cos(2 * kTurn * u)};
    m.rotate("hand_goal.L", kX, -20 * std::cos(kTurn * u));
    m.shift["pole_holder"] = m.shift["pole_holder"] + Vec3{0, -8 - 7 * std::cos(kTurn * u), 9};
    m.rotate("pole_holder", kX, 7 + 5 * std::cos(kTurn * u));
    return m;
}

Moment pick(double u) {
    Moment m = at_ease();
    const Vec3 start{kSideways, -kForward, 0}, rung{0, -26, kRung};
    const double right = between(u, 0.14, 0.34), rise = between(u, 0.32, 0.56),
                 left = between(u, 0.42, 0.62);
    const double raise = between(u, 0.0, 0.3), reach = between(u, 0.58, 0.8),
                 settle = between(u, 0.88, 1.0);
    m.shift["foot_goal.R"] =
        start + right * rung + Vec3{0, 0, 8 * std::sin(std::numbers::pi * right)};
    m.shift["foot_goal.L"] =
        start + left * rung + Vec3{0, 0, 8 * std::sin(std::numbers::pi * left)};
    m.rotate("foot_roll.L", kX,
             30 * std::sin(std::numbers::pi * std::clamp((u - 0.36) / 0.14, 0.0, 1.0)));
    m.shift["hips_ctl"] = start + m.shift["hips_ctl"] + rise * rung +
                          Vec3{0, 3 * right - 3 * rise, -5 * right + 5 * rise + 1.5 * reach};
    m.rotate("hips_ctl", kX, 8 * right * (1 - rise));
    m.rotate("spine_ctl", kX, -3 * reach);
    m.rotate("chest_ctl", kX, -7 * reach + 2 * settle);
    m.rotate("neck_ctl", kX, -8 * raise);
    m.rotate("head_ctl", kX, -14 * raise - 8 * reach);
    // Both hands on the pole, held up in front.
    m.shift["pole_holder"] = m.shift["pole_holder"] + raise * Vec3{14, -18, 34} +
                             reach * Vec3{3, -3, 20} + settle * Vec3{0, 0, -5};
    m.rotate("pole_holder", kX, 14 * raise + 4 * reach);
    m.rotate("pole_holder", kY, 6 * raise);
    m.shift["hand_goal.L"] = m.shift["hand_goal.L"] + raise * Vec3{-33, -20, 22} +
                             reach * Vec3{2, -8, 20} + settle * Vec3{0, 0, -5};
    m.rotate("hand_goal.L", kX, 40 * raise);
    for (const char* control : {"fingers_ctl.L", "index_ctl.L"}) m.rotate(control, kY, 38 * raise);
    m.rotate("clav_ctl.L", kY, -14 * reach);
    m.rotate("clav_ctl.R", kY, 14 * reach);
    m.smile = between(u, 0.7, 0.85);
    m.blink = std::exp(-std::pow((u - 0.5) / 0.02, 2));
    return m;
}

const std::vector<Performance>& performances() {
    static const std::vector<Performance> all{{0, 96, stand}, {108, 132, walk}, {144, 240, pick}};
    return all;
}

constexpr int kHold = 6;  // frames of stillness before and after a cut

using Values = std::vector<double>;

/// Moments that were looked at: all curves look at the same ones.
using Moments = std::map<std::pair<const Performance*, double>, Moment>;

/// Keys of one curve: values inside the performances, and holds between them.
class KeyMaker {
  public:
    KeyMaker(const std::vector<Performance>& all, Moments& moments,
             mellow::Interpolation interpolation, int every,
             std::function<Values(const Moment&)> value)
        : moments_(moments), every_(every), value_(std::move(value)) {
        curve_.interpolation = interpolation;
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (i > 0) hold(all[i].first - kHold + 1, all[i], 0);
            for (int f = all[i].first; f < all[i].last; f += every_) key(f, all[i]);
            key(all[i].last, all[i]);
            if (i + 1 < all.size()) hold(all[i].last + kHold, all[i], 1);
        }
    }

    /// Nothing when the curve never leaves its first value.
    bool moves() const {
        const std::size_t group = curve_.values.size() / curve_.times.size();
        const std::size_t skip = group == width_ ? 0 : width_;
        for (std::size_t k = 0; k < curve_.times.size(); ++k)
            for (std::size_t c = 0; c < width_; ++c)
                if (std::abs(curve_.values[k * group + skip + c] - curve_.values[skip + c]) > 1e-9)
                    return true;
        return false;
    }
    mellow::Curve take() {
        curve_.width = static_cast<int>(width_);
        return std::move(curve_);
    }

  private:
    Values at(const Performance& p, double frame) const {
        const auto [found, fresh] = moments_.try_emplace({&p, frame});
        if (fresh) found->second = p.at((frame - p.first) / (p.last - p.first));
        return value_(found->second);
    }

    void key(int frame, const Performance& p) {
        // Slope in units per second, one-sided at the ends.
        constexpr double h = 0.01;
        const double a = std::max<double>(frame - h, p.first),
                     b = std::min<double>(frame + h, p.last);
        Values before = at(p, a), after = at(p, b), slope = before;
        double cosine = 0;
        for (std::size_t c = 0; c < slope.size(); ++c) cosine += before[c] * after[c];
        const double sign = slope.size() == 4 && cosine < 0 ? -1 : 1;
        for (std::size_t c = 0; c < slope.size(); ++c)
            slope[c] = (sign * after[c] - before[c]) / (b - a) * 24;
        const Values zero(slope.size(), 0.0);
        add(frame, at(p, frame), frame == p.first ? zero : slope, frame == p.last ? zero : slope);
    }

    void hold(int frame, const Performance& p, double u) {
        const Values v = at(p, u == 0 ? p.first : p.last), zero(v.size(), 0.0);
        add(frame, v, zero, zero);
    }

    void add(int frame, Values v, Values in, Values out) {
        width_ = v.size();
        if (width_ == 4 && !last_.empty()) {  // one hemisphere along the curve
            double cosine = 0;
            for (std::size_t c = 0; c < 4; ++c) cosine += v[c] * last_[c];
            if (cosine < 0)
                for (Values* list : {&v, &in, &out})
                    for (double& x : *list) x = -x;
        }
        last_ = v;
        curve_.times.push_back(frame / 24.0);
        const bool cubic = curve_.interpolation == mellow::Interpolation::kCubicSpline;
        if (cubic) curve_.values.append(in.begin(), in.end());
        curve_.values.append(v.begin(), v.end());
        if (cubic) curve_.values.append(out.begin(), out.end());
    }

    Moments& moments_;
    int every_;
    std::function<Values(const Moment&)> value_;
    std::size_t width_ = 0;
    Values last_;
    mellow::Curve curve_;
};

/// Hands are keyed on every second frame in straight lines, the index fingers in steps, the rest
/// with splines on every second frame.
mellow::Interpolation interpolation_of(const std::string& name) {
    if (name.starts_with("index_ctl")) return mellow::Interpolation::kStep;
    if (name.starts_with("fingers_ctl") || name.starts_with("thumb_ctl"))
        return mellow::Interpolation::kLinear;
    return mellow::Interpolation::kCubicSpline;
}

}  // namespace

mellow::Timeline perform(const mellow::Scene& scene, const std::vector<Performance>& all,
                         const std::string& name) {
    mellow::Timeline timeline;
    timeline.name = kPrefix + name;
    Moments moments;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const std::string own = scene.nodes[n].name.substr(kPrefix.size());
        const Vec3 rest = scene.nodes[n].local.t;
        KeyMaker place(all, moments, interpolation_of(own), 2, [&](const Moment& m) {
            const auto shift = m.shift.find(own);
            const Vec3 v = shift == m.shift.end() ? rest : rest + shift->second;
            return Values{v.x, v.y, v.z};
        });
        const Quat rest_turn = scene.nodes[n].local.r;
        KeyMaker turn(all, moments, interpolation_of(own), 2, [&](const Moment& m) {
            const auto found = m.turn.find(own);
            const Quat q = found == m.turn.end() ? rest_turn : found->second;
            return Values{q.x, q.y, q.z, q.w};
        });
        const int index = static_cast<int>(n);
        if (place.moves())
            timeline.channels.push_back({index, mellow::Path::kTranslation, place.take()});
        if (turn.moves())
            timeline.channels.push_back({index, mellow::Path::kRotation, turn.take()});
    }
    KeyMaker face(all, moments, mellow::Interpolation::kLinear, 1, [](const Moment& m) {
        return Values{m.smile, m.blink, 0, 0};
    });
    timeline.channels.push_back({node(scene, "body"), mellow::Path::kWeights, face.take()});
    return timeline;
}

void add_performances(mellow::Scene& scene) {
    scene.timelines.push_back(perform(scene, performances(), "orchard_day"));
}

}  // namespace orchard
