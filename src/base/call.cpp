#include "mellow/call.h"

#include <array>
#include <utility>

namespace mellow {
namespace {

constexpr std::array<std::string_view, kCallJobs> kJobs{"same",   "convert", "describe",
                                                        "gather", "match",   "pack"};
constexpr std::array<std::string_view, kCallOptions> kOptions{
    "dump",  "from",   "hand",    "map",   "match",  "matrices", "order",    "output", "parts",
    "range", "recipe", "replace", "share", "target", "textures", "timeline", "to_rate"};

}  // namespace

Call again(std::vector<Call::Asked> asked) { return {Call::Job::kSame, {}, std::move(asked)}; }

std::string_view name(Call::Job job) { return kJobs[static_cast<std::size_t>(job)]; }
std::string_view name(Call::Option option) { return kOptions[static_cast<std::size_t>(option)]; }

}  // namespace mellow
