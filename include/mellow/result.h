// Result<T>: a value, or the findings that say why there is none.
//
// Everything that bytes or users can cause comes back this way; the library throws nothing of its
// own. Most failures are one finding. What reads a recipe or a rig sheet tells all its mistakes at
// once, in the order of the file: failures() has them, failure() is the first. Status is the Result
// of a function that has nothing to give back.
//
// Thread rule: plain values, no shared state.
#pragma once

#include <cassert>
#include <utility>
#include <variant>

#include "mellow/finding.h"

namespace mellow {

/// A value or a failure. Reading value() of a failure, or failure() of a value, is a bug of the
/// caller and is checked by assert only.
template <class T>
class [[nodiscard]] Result {
  public:
    Result(T value) : state_(std::in_place_index<0>, std::move(value)) {}
    Result(Finding failure) : state_(std::in_place_index<1>) {
        std::get_if<1>(&state_)->push_back(std::move(failure));
    }
    /// At least one finding.
    Result(Findings failures) : state_(std::in_place_index<1>, std::move(failures)) {
        assert(!this->failures().empty());
    }

    bool ok() const { return state_.index() == 0; }
    explicit operator bool() const { return ok(); }

    T& value() & { return *std::get_if<0>(&state_); }
    const T& value() const& { return *std::get_if<0>(&state_); }
    T&& value() && { return std::move(*std::get_if<0>(&state_)); }
    /// The first of the failures.
    const Finding& failure() const { return failures().front(); }
    const Findings& failures() const& { return *std::get_if<1>(&state_); }
    Findings failures() && { return std::move(*std::get_if<1>(&state_)); }

  private:
    std::variant<T, Findings> state_;
};

/// Success, or the findings that say what went wrong.
class [[nodiscard]] Status {
  public:
    Status() = default;
    Status(Finding failure) { failures_.push_back(std::move(failure)); }
    /// Success where there are none.
    Status(Findings failures) : failures_(std::move(failures)) {}

    bool ok() const { return failures_.empty(); }
    explicit operator bool() const { return ok(); }
    /// The first of the failures.
    const Finding& failure() const { return failures_.front(); }
    const Findings& failures() const& { return failures_; }
    Findings failures() && { return std::move(failures_); }

  private:
    Findings failures_;
};

}  // namespace mellow

#define MELLOW_JOIN_(a, b) a##b
#define MELLOW_NAME_(a, b) MELLOW_JOIN_(a, b)
/// Evaluates a Result or Status and hands its failures on to the caller; `declaration` takes the
/// value: `MELLOW_TRY(auto scene, read_scene(path));`
#define MELLOW_TRY(declaration, ...)                                  \
    auto MELLOW_NAME_(result_, __LINE__) = (__VA_ARGS__);             \
    if (!MELLOW_NAME_(result_, __LINE__))                             \
        return std::move(MELLOW_NAME_(result_, __LINE__)).failures(); \
    declaration = std::move(MELLOW_NAME_(result_, __LINE__)).value()
/// The same for a Status, which has no value.
#define MELLOW_CHECK(...)                                                                 \
    do {                                                                                  \
        if (auto status_ = (__VA_ARGS__); !status_) return std::move(status_).failures(); \
    } while (false)
