// Result<T>: a value, or the Finding that says why there is none.
//
// Everything that bytes or users can cause comes back this way; the library throws nothing of its
// own. Status is the Result of a function that has nothing to give back.
//
// Thread rule: plain values, no shared state.
#pragma once

#include <cassert>
#include <optional>
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
    Result(Finding failure) : state_(std::in_place_index<1>, std::move(failure)) {}

    bool ok() const { return state_.index() == 0; }
    explicit operator bool() const { return ok(); }

    T& value() & { return *std::get_if<0>(&state_); }
    const T& value() const& { return *std::get_if<0>(&state_); }
    T&& value() && { return std::move(*std::get_if<0>(&state_)); }
    const Finding& failure() const& { return *std::get_if<1>(&state_); }
    Finding&& failure() && { return std::move(*std::get_if<1>(&state_)); }

  private:
    std::variant<T, Finding> state_;
};

/// Success, or the Finding that says what went wrong.
class [[nodiscard]] Status {
  public:
    Status() = default;
    Status(Finding failure) : failure_(std::move(failure)) {}

    bool ok() const { return !failure_.has_value(); }
    explicit operator bool() const { return ok(); }
    const Finding& failure() const& { return *failure_; }
    Finding&& failure() && { return std::move(*failure_); }

  private:
    std::optional<Finding> failure_;
};

}  // namespace mellow

#define MELLOW_JOIN_(a, b) a##b
#define MELLOW_NAME_(a, b) MELLOW_JOIN_(a, b)
/// Evaluates a Result or Status and hands a failure on to the caller; `declaration` takes the
/// value: `MELLOW_TRY(auto scene, read_scene(path));`
#define MELLOW_TRY(declaration, ...)                                 \
    auto MELLOW_NAME_(result_, __LINE__) = (__VA_ARGS__);            \
    if (!MELLOW_NAME_(result_, __LINE__))                            \
        return std::move(MELLOW_NAME_(result_, __LINE__)).failure(); \
    declaration = std::move(MELLOW_NAME_(result_, __LINE__)).value()
/// The same for a Status, which has no value.
#define MELLOW_CHECK(...)                                                                \
    do {                                                                                 \
        if (auto status_ = (__VA_ARGS__); !status_) return std::move(status_).failure(); \
    } while (false)
