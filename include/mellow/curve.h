// Curve: keyed values over seconds, with the three interpolations of glTF 2.0.
//
// Before the first key the first value holds, after the last key the last (glTF 2.0, 3.11). The
// curve does not know what it moves; Channel (scene.h) does.
#pragma once

#include <cstddef>
#include <initializer_list>
#include <memory>
#include <span>
#include <vector>

namespace mellow {

enum class Interpolation { kStep, kLinear, kCubicSpline };

/// Key times, seconds. Many curves of a file have the same: copies share them until one is edited.
class KeyTimes {
  public:
    KeyTimes() = default;
    /// Ascending, seconds.
    KeyTimes(std::vector<double> list);
    KeyTimes(std::initializer_list<double> list);

    const std::vector<double>& list() const;
    operator const std::vector<double>&() const { return list(); }
    std::size_t size() const { return list().size(); }
    bool empty() const { return list().empty(); }
    double operator[](std::size_t i) const { return (*list_)[i]; }
    double front() const { return list().front(); }
    double back() const { return list().back(); }
    auto begin() const { return list().begin(); }
    auto end() const { return list().end(); }
    bool operator==(const KeyTimes& other) const {
        return list_ == other.list_ || list() == other.list();
    }
    bool operator==(const std::vector<double>& other) const { return list() == other; }
    /// The list to change, of this curve alone.
    std::vector<double>& edit() {
        if (!list_ || list_.use_count() > 1) list_ = std::make_shared<std::vector<double>>(list());
        return *list_;
    }
    void push_back(double t) { edit().push_back(t); }
    /// Equal for curves that share one list.
    const void* identity() const { return list_.get(); }

  private:
    std::shared_ptr<std::vector<double>> list_;
};

/// Key values: doubles of their own, or single-precision numbers left where they were read.
class KeyValues {
  public:
    KeyValues() = default;
    KeyValues(std::vector<double> own) : own_(std::move(own)) {}
    KeyValues(std::initializer_list<double> own) : own_(own) {}
    /// Looks at `singles`, which `owner` keeps alive and nobody changes.
    KeyValues(std::shared_ptr<const void> owner, std::span<const float> singles)
        : owner_(std::move(owner)), singles_(singles) {}

    std::size_t size() const { return singles_.empty() ? own_.size() : singles_.size(); }
    bool empty() const { return size() == 0; }
    double operator[](std::size_t i) const {
        return singles_.empty() ? own_[i] : static_cast<double>(singles_[i]);
    }
    /// The numbers as they lie: one of the two is empty.
    std::span<const double> doubles() const { return own_; }
    std::span<const float> singles() const { return singles_; }
    std::vector<double> list() const {
        return singles_.empty() ? own_ : std::vector<double>(singles_.begin(), singles_.end());
    }
    bool operator==(const std::vector<double>& other) const { return list() == other; }
    /// The numbers to change; from now on they are doubles of this curve.
    std::vector<double>& edit() {
        if (!singles_.empty()) {
            own_.assign(singles_.begin(), singles_.end());
            singles_ = {};
            owner_.reset();
        }
        return own_;
    }
    void push_back(double v) { edit().push_back(v); }
    void append(std::initializer_list<double> v) { edit().insert(own_.end(), v); }
    template <class It>
    void append(It first, It last) {
        edit().insert(own_.end(), first, last);
    }

  private:
    std::vector<double> own_;
    std::shared_ptr<const void> owner_;
    std::span<const float> singles_;
};

/// `times` strictly ascending, seconds, at least one. `values` has times.size() * width numbers,
/// or, for kCubicSpline, three groups per key: in-tangent, value, out-tangent, each `width` wide.
struct Curve {
    Interpolation interpolation = Interpolation::kLinear;
    int width = 3;  ///< 3 for translation and scale, 4 for rotation, any for morph weights
    KeyTimes times;
    KeyValues values;
};

/// Evaluates `curve` at each of `seconds` and writes `width` numbers per time to `out`.
/// `rotation` says that the four values are a quaternion: kLinear is then spherical and
/// shortest-way, and the outcome is always a unit quaternion. Exact at the keys. Cost: amortised
/// constant per time when `seconds` ascends. Source: glTF 2.0 specification, appendix C.
void sample(const Curve& curve, bool rotation, std::span<const double> seconds, double* out);

}  // namespace mellow
