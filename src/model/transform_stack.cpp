#include "mellow/transform_stack.h"

#include <algorithm>
#include <cmath>
#include <cstddef>

#include "base/at.h"

namespace mellow {
namespace {

double bezier(double a, double b, double c, double d, double s) {
    const double r = 1 - s;
    return r * r * r * a + 3 * r * r * s * b + 3 * r * s * s * c + s * s * s * d;
}

/// Where along a cubic the time `t` lies; the control times b and c are within [a, d].
double parameter(double a, double b, double c, double d, double t) {
    const double length = d - a;
    double s = (t - a) / length;
    if (std::abs(b - a - length / 3) + std::abs(d - c - length / 3) < 1e-12 * length) return s;
    double low = 0, high = 1;
    for (int step = 0; step < 64; ++step) {
        const double miss = bezier(a, b, c, d, s) - t;
        if (std::abs(miss) < 1e-15 * length) break;
        (miss < 0 ? low : high) = s;
        const double r = 1 - s;
        const double slope = 3 * (r * r * (b - a) + 2 * r * s * (c - b) + s * s * (d - c));
        const double newton = slope > 1e-9 * length ? s - miss / slope : -1;
        s = newton > low && newton < high ? newton : (low + high) / 2;
    }
    return s;
}

Vec3 three(const double* n) { return {n[0], n[1], n[2]}; }

Affine matrix_of(const double* n) {
    return {{n[0], n[4], n[8]}, {n[1], n[5], n[9]}, {n[2], n[6], n[10]}, {n[3], n[7], n[11]}};
}

/// +Z of the result points from the point looked at to the eye.
Affine look_at(const double* n) {
    const Vec3 eye = three(n);
    const Vec3 z = normalized(eye - three(n + 3), {0, 0, 0});
    const Vec3 x = normalized(cross(three(n + 6), z), {0, 0, 0});
    if (dot(x, x) == 0) return {{1, 0, 0}, {0, 1, 0}, {0, 0, 1}, eye};
    return {x, cross(z, x), z, eye};
}

/// Moves `turned` towards `fixed` by tan(angle): every point p gains fixed * tan * (turned . p).
Affine skew(const double* n) {
    const Vec3 turned = normalized(three(n + 1), {0, 0, 0}),
               fixed = normalized(three(n + 4), {0, 0, 0});
    const double k = std::tan(n[0]);
    return {Vec3{1, 0, 0} + fixed * (k * turned.x),
            Vec3{0, 1, 0} + fixed * (k * turned.y),
            Vec3{0, 0, 1} + fixed * (k * turned.z),
            {}};
}

/// A product under construction: a Transform as long as scaling comes last, then a matrix.
class Product {
  public:
    void add(StackKind kind, const double* n) {
        switch (kind) {
            case StackKind::kTranslate:
                if (general_) return times({{1, 0, 0}, {0, 1, 0}, {0, 0, 1}, three(n)});
                simple_.t = simple_.t + rotate(simple_.r, simple_.s * three(n));
                return;
            case StackKind::kRotate: {
                const Quat turn = from_axis_angle(normalized(three(n), {0, 0, 1}), n[3]);
                const bool even = simple_.s.x == simple_.s.y && simple_.s.y == simple_.s.z;
                if (general_ || !even) return times(to_affine({{}, turn, {1, 1, 1}}));
                simple_.r = simple_.r * turn;
                return;
            }
            case StackKind::kScale:
                if (general_) return times({{n[0], 0, 0}, {0, n[1], 0}, {0, 0, n[2]}, {}});
                simple_.s = simple_.s * three(n);
                return;
            case StackKind::kSkew:
                return times(skew(n));
            case StackKind::kMatrix:
                return times(matrix_of(n));
            case StackKind::kLookAt:
                return times(look_at(n));
        }
    }
    bool simple() const { return !general_; }
    const Transform& transform() const { return simple_; }
    Affine affine() const { return general_ ? matrix_ : to_affine(simple_); }

  private:
    void times(const Affine& m) {
        matrix_ = affine() * m;
        general_ = true;
    }
    bool general_ = false;
    Transform simple_;
    Affine matrix_;
};

}  // namespace

int member_count(StackKind kind) {
    constexpr int kCounts[] = {3, 4, 3, 7, 16, 9};
    return kCounts[static_cast<int>(kind)];
}

void sample(const MemberCurve& curve, std::span<const double> seconds, double* out) {
    const std::size_t width = at(curve.width), keys = curve.times.size();
    for (const double t : seconds) {
        const auto next = std::upper_bound(curve.times.begin(), curve.times.end(), t);
        const std::size_t after = static_cast<std::size_t>(next - curve.times.begin());
        const std::size_t key = after == 0 ? 0 : after - 1;
        const KeyShape shape = curve.shapes[curve.shapes.size() == 1 ? 0 : key];
        const double* a = &curve.values[key * width];
        if (after == 0 || after == keys || shape == KeyShape::kStep || t == curve.times[key]) {
            out = std::copy_n(a, width, out);
            continue;
        }
        const double* b = a + width;
        const double from = curve.times[key], to = curve.times[key + 1];
        const double u = (t - from) / (to - from);
        for (std::size_t m = 0; m < width; ++m) {
            if (shape == KeyShape::kLinear) {
                *out++ = a[m] + u * (b[m] - a[m]);
                continue;
            }
            const double* first = &curve.after[2 * (key * width + m)];
            const double* second = &curve.before[2 * ((key + 1) * width + m)];
            const double s = parameter(from, first[0], second[0], to, t);
            *out++ = bezier(a[m], first[1], second[1], b[m], s);
        }
    }
}

Affine compose(std::span<const StackElement> stack) {
    Product product;
    for (const StackElement& e : stack) product.add(e.kind, e.numbers.data());
    return product.affine();
}

bool can_shear(std::span<const StackElement> stack) {
    bool scaled = false;
    for (const StackElement& e : stack) {
        if (e.kind == StackKind::kSkew || e.kind == StackKind::kMatrix) return true;
        if (scaled && (e.kind == StackKind::kRotate || e.kind == StackKind::kLookAt)) return true;
        scaled = scaled || e.kind == StackKind::kScale;
    }
    return false;
}

std::size_t scratch_size(std::span<const MemberCurve> curves) {
    std::size_t width = 0;
    for (const MemberCurve& c : curves) width += at(c.width);
    return width;
}

double sample_stack(std::span<const StackElement> stack, std::span<const MemberCurve> curves,
                    const Conversion& change, std::span<const double> seconds, double* scratch,
                    Transform* out, Affine* shear) {
    double* row = scratch;
    for (const MemberCurve& c : curves) {
        sample(c, seconds, row);
        row += at(c.width) * seconds.size();
    }
    double worst = 0;
    for (std::size_t f = 0; f < seconds.size(); ++f) {
        Product product;
        for (std::size_t e = 0; e < stack.size(); ++e) {
            std::array<double, 16> numbers = stack[e].numbers;
            const double* column = scratch;
            for (const MemberCurve& c : curves) {
                if (c.element == static_cast<int>(e))
                    std::copy_n(column + at(c.width) * f, c.width, &numbers[at(c.member)]);
                column += at(c.width) * seconds.size();
            }
            product.add(stack[e].kind, numbers.data());
        }
        if (product.simple()) {
            out[f] = change.transform(product.transform());
            if (shear != nullptr) shear[f] = {};
        } else {
            const Affine whole = change.affine(product.affine());
            const Decomposed parts = decompose(whole);
            out[f] = parts.transform;
            if (shear != nullptr) shear[f] = parts.shear > 0 ? shear_of(whole, out[f]) : Affine{};
            worst = std::max(worst, parts.shear);
        }
    }
    return worst;
}

}  // namespace mellow
