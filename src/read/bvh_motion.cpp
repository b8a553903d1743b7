#include "read/bvh_motion.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstring>
#include <numbers>

#include "base/at.h"
#include "base/number.h"
#include "math/sincos.h"
#include "mellow/parallel.h"

namespace mellow {
namespace {

constexpr std::size_t kBlock = 16;  // frames whose numbers stay near the processor
constexpr std::size_t kRunBytes = 1 << 21;

bool is_blank(char c) { return c == ' ' || c == '\t' || c == '\r' || c == '\n'; }

/// Starts of the lines that hold anything, and the end of the text.
std::vector<std::size_t> lines_of(std::string_view text) {
    std::vector<std::size_t> starts;
    for (std::size_t from = 0; from < text.size();) {
        const std::size_t end = std::min(text.find('\n', from), text.size());
        if (!std::all_of(text.begin() + static_cast<std::ptrdiff_t>(from),
                         text.begin() + static_cast<std::ptrdiff_t>(std::min(end, from + 64)),
                         is_blank) ||
            end > from + 64)
            starts.push_back(from);
        from = end + 1;
    }
    starts.push_back(text.size());
    return starts;
}

}  // namespace

BvhMotion::BvhMotion(Scene& scene, const std::vector<BvhChannel>& channels)
    : scene_(scene), channels_(channels) {
    timeline_.name = "motion";
    for (std::size_t c = 0; c < channels.size(); ++c) {
        const bool turns = channels[c].kind >= BvhChannel::kTurnX;
        std::vector<Part>& parts = turns ? turns_ : places_;
        if (parts.empty() || parts.back().node != channels[c].node) {
            parts.push_back({static_cast<int>(timeline_.channels.size()), channels[c].node, {}});
            timeline_.channels.push_back({channels[c].node,
                                          turns ? Path::kRotation : Path::kTranslation,
                                          {Interpolation::kLinear, turns ? 4 : 3, {}, {}}});
        }
        parts.back().columns.push_back(c);
    }
}

void BvhMotion::make_room(std::size_t frames) {
    if (frames <= room_) return;
    room_ = std::max(frames, 2 * room_);
    parallel_for(timeline_.channels.size(), [&](std::size_t c) {
        Curve& curve = timeline_.channels[c].curve;
        curve.values.edit().resize(room_ * at(curve.width));
    });
}

std::optional<std::size_t> BvhMotion::read_lines(std::string_view text) {
    const std::vector<std::size_t> lines = lines_of(text);
    const std::size_t frames = lines.size() - 1;
    if (frames == 0) return {};
    // A line has two bytes per number at least: room for the frames is bounded by the text.
    if (text.size() / frames < 2 * channels_.size() - 1) return {};
    make_room(frames);
    const std::size_t runs = std::clamp<std::size_t>(text.size() / kRunBytes, 1, frames);
    const auto first = [&](std::size_t run) { return frames * run / runs; };
    std::atomic<bool> good = true;
    parallel_for(runs, [&](std::size_t run) {
        for (std::size_t f = first(run); f < first(run + 1) && good; f += kBlock) {
            const std::size_t rows = std::min(kBlock, first(run + 1) - f);
            if (!read_block(text.substr(lines[f], lines[f + rows] - lines[f]), f, rows,
                            f > first(run)))
                good = false;
        }
    });
    if (!good) return {};
    // Each run chose its first hemisphere by itself; now it follows the run before.
    for (std::size_t run = 1; run < runs; ++run)
        for (const Part& part : turns_) {
            double* q = &timeline_.channels[at(part.channel)].curve.values.edit()[4 * first(run)];
            if (q[0] * q[-4] + q[1] * q[-3] + q[2] * q[-2] + q[3] * q[-1] < 0)
                for (std::size_t i = 0; i < 4 * (first(run + 1) - first(run)); ++i) q[i] = -q[i];
        }
    return frames;
}

bool BvhMotion::read_block(std::string_view text, std::size_t frame, std::size_t rows,
                           bool continues) {
    std::vector<double> numbers(rows * channels_.size());
    const char *p = text.data(), *const end = p + text.size();
    for (double& value : numbers) {
        while (p != end && is_blank(*p)) ++p;
        if (!parse_number(p, end, value) || (p != end && !is_blank(*p)) || !std::isfinite(value))
            return false;
    }
    while (p != end && is_blank(*p)) ++p;
    if (p != end) return false;
    store(frame, rows, numbers.data(), continues);
    return true;
}

void BvhMotion::store(std::size_t frame, std::size_t rows, const double* numbers, bool continues) {
    make_room(frame + rows);
    const std::size_t count = rows * channels_.size();
    std::vector<double> halves(count), sines(count), cosines(count);
    for (std::size_t i = 0; i < count; ++i) halves[i] = numbers[i] * (std::numbers::pi / 360);
    sincos(halves.data(), count, sines.data(), cosines.data());
    for (const Part& part : places_) store_places(part, frame, rows, numbers);
    for (const Part& part : turns_)
        store_turns(part, frame, rows, sines.data(), cosines.data(), continues);
}

void BvhMotion::store_places(const Part& part, std::size_t frame, std::size_t rows,
                             const double* numbers) {
    double* out = &timeline_.channels[at(part.channel)].curve.values.edit()[3 * frame];
    const Vec3 rest = scene_.nodes[at(part.node)].local.t;
    for (std::size_t f = 0; f < rows; ++f, out += 3) {
        out[0] = rest.x, out[1] = rest.y, out[2] = rest.z;
        for (const std::size_t c : part.columns)
            out[channels_[c].kind] = numbers[f * channels_.size() + c];
    }
}

void BvhMotion::store_turns(const Part& part, std::size_t frame, std::size_t rows,
                            const double* sines, const double* cosines, bool continues) {
    double* out = &timeline_.channels[at(part.channel)].curve.values.edit()[4 * frame];
    Quat last;
    if (continues && frame > 0) last = {out[-4], out[-3], out[-2], out[-1]};
    for (std::size_t f = 0; f < rows; ++f, out += 4) {
        Quat q;
        for (const std::size_t c : part.columns) {
            const double s = sines[f * channels_.size() + c], w = cosines[f * channels_.size() + c];
            // q times the turn about one axis, (s, 0, 0, w) for X.
            if (channels_[c].kind == BvhChannel::kTurnX)
                q = {q.x * w + q.w * s, q.y * w + q.z * s, q.z * w - q.y * s, q.w * w - q.x * s};
            else if (channels_[c].kind == BvhChannel::kTurnY)
                q = {q.x * w - q.z * s, q.y * w + q.w * s, q.z * w + q.x * s, q.w * w - q.y * s};
            else
                q = {q.x * w + q.y * s, q.y * w - q.x * s, q.z * w + q.w * s, q.w * w - q.z * s};
        }
        const bool first = f == 0 && !(continues && frame > 0);
        if (!first) q = nearest(q, last);
        last = q;
        out[0] = q.x, out[1] = q.y, out[2] = q.z, out[3] = q.w;
    }
}

void BvhMotion::finish(std::size_t frames) {
    std::vector<double> list(frames);
    for (std::size_t f = 0; f < frames; ++f)
        list[f] = scene_.rate.seconds(static_cast<std::int64_t>(f));
    const KeyTimes times(std::move(list));
    for (Channel& channel : timeline_.channels) {
        channel.curve.times = times;
        channel.curve.values.edit().resize(frames * at(channel.curve.width));
    }
    scene_.timelines.push_back(std::move(timeline_));
}

}  // namespace mellow
