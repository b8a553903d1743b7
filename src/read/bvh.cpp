// BVH: a hierarchy with channels, then one line of numbers per frame.
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <numbers>

#include "mellow/read.h"

namespace mellow {
namespace {

enum class ChannelKind { kX, kY, kZ, kTurnX, kTurnY, kTurnZ };
constexpr std::string_view kChannelNames[] = {"Xposition", "Yposition", "Zposition",
                                              "Xrotation", "Yrotation", "Zrotation"};

struct BvhChannel {
    int node;
    ChannelKind kind;
};

bool same_word(std::string_view a, std::string_view b) {
    return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](char x, char y) {
        return std::tolower(static_cast<unsigned char>(x)) ==
               std::tolower(static_cast<unsigned char>(y));
    });
}

/// Reads words, counts lines, keeps the first error.
class BvhCursor {
  public:
    BvhCursor(std::string_view text, std::string file) : text_(text), file_(std::move(file)) {}

    std::string_view word() {
        while (at_ < text_.size() && is_space(text_[at_])) line_ += text_[at_++] == '\n' ? 1 : 0;
        const std::size_t from = at_;
        while (at_ < text_.size() && !is_space(text_[at_])) ++at_;
        return text_.substr(from, at_ - from);
    }
    /// The rest of the line, trimmed; for names, which may hold spaces.
    std::string_view rest_of_line() {
        while (at_ < text_.size() && (text_[at_] == ' ' || text_[at_] == '\t')) ++at_;
        const std::size_t from = at_;
        while (at_ < text_.size() && text_[at_] != '\n' && text_[at_] != '{') ++at_;
        std::string_view rest = text_.substr(from, at_ - from);
        while (!rest.empty() && is_space(rest.back())) rest.remove_suffix(1);
        return rest;
    }
    void expect(std::string_view wanted) {
        if (const auto got = word(); !same_word(got, wanted)) fail(got, std::string(wanted));
    }
    double number() {
        const std::string_view w = word();
        std::string_view digits = w.starts_with('+') ? w.substr(1) : w;
        double value = 0;
        const auto [end, code] =
            std::from_chars(digits.data(), digits.data() + digits.size(), value);
        if (code != std::errc{} || end != digits.data() + digits.size() || !std::isfinite(value)) {
            fail(w, "a finite number");
            return 0;
        }
        return value;
    }
    bool at_end() {
        while (at_ < text_.size() && is_space(text_[at_])) line_ += text_[at_++] == '\n' ? 1 : 0;
        return at_ == text_.size();
    }
    std::size_t bytes_left() const { return text_.size() - at_; }

    void fail(std::string_view found, std::string expected, Code code = Code::kBvhBroken) {
        if (error) return;
        std::string shown =
            found.empty() ? "the end of the file" : "\"" + std::string(found.substr(0, 60)) + "\"";
        error = Finding{code,
                        Severity::kStop,
                        where(),
                        std::move(shown),
                        std::move(expected),
                        "the file is cut short or no BVH; write it again"};
    }
    std::string where() const { return fmt::format("{}:{}", file_, line_); }

    std::optional<Finding> error;

  private:
    static bool is_space(char c) { return c == ' ' || c == '\n' || c == '\t' || c == '\r'; }

    std::string_view text_;
    std::string file_;
    std::size_t at_ = 0;
    int line_ = 1;
};

class BvhReader {
  public:
    BvhReader(std::string_view text, const std::string& file, const ReadLimits& limits)
        : in_(text, file), limits_(limits) {}

    Result<ReadResult> read() {
        out_.format = "BVH";
        out_.keys_on_frames = true;
        read_hierarchy();
        if (!in_.error) read_motion();
        if (in_.error) return *in_.error;
        out_.findings.push_back(
            {Code::kAssumed, Severity::kNote, in_.where(), "BVH does not say its unit and axes",
             "metre, +Y up, +Z front were assumed",
             "set unit, up and front in the recipe, or --unit, --up and --front"});
        return std::move(out_);
    }

  private:
    void read_hierarchy() {
        in_.expect("HIERARCHY");
        std::vector<int> open;  // nodes whose braces are open
        while (!in_.error) {
            const std::string_view word = in_.word();
            if (same_word(word, "MOTION") && open.empty()) break;
            if (same_word(word, open.empty() ? "ROOT" : "JOINT"))
                open_node(open, false);
            else if (same_word(word, "End") && !open.empty())
                open_node(open, true);
            else if (same_word(word, "OFFSET") && !open.empty())
                read_offset(open.back());
            else if (same_word(word, "CHANNELS") && !open.empty())
                read_channels(open.back());
            else if (word == "}" && !open.empty())
                open.pop_back();
            else
                in_.fail(word, open.empty() ? "ROOT or MOTION"
                                            : "JOINT, End Site, OFFSET, CHANNELS or }");
        }
        if (!in_.error && out_.scene.nodes.empty())
            in_.fail("MOTION", "at least one ROOT before it");
    }

    void open_node(std::vector<int>& open, bool end_site) {
        Scene& scene = out_.scene;
        if (scene.nodes.size() >= limits_.nodes || open.size() >= limits_.depth)
            return in_.fail(
                "another joint",
                fmt::format("at most {} joints in {} levels", limits_.nodes, limits_.depth),
                Code::kLimit);
        Node node;
        node.parent = open.empty() ? kNone : open.back();
        node.name = in_.rest_of_line();
        node.end_site = end_site;
        if (end_site)
            node.name = scene.nodes[static_cast<std::size_t>(node.parent)].name + "_end";
        else if (node.name.empty())
            in_.fail("{", "a name");
        in_.expect("{");
        open.push_back(static_cast<int>(scene.nodes.size()));
        if (node.parent == kNone) scene.roots.push_back(open.back());
        scene.nodes.push_back(std::move(node));
    }

    void read_offset(int node) {
        const double x = in_.number(), y = in_.number(), z = in_.number();
        out_.scene.nodes[static_cast<std::size_t>(node)].local.t = {x, y, z};
    }

    void read_channels(int node) {
        const double count = in_.number();
        if (count < 0 || count > 6 || count != std::floor(count))
            return in_.fail(fmt::format("{} channels", count), "0 to 6 channels");
        std::string order;
        for (int c = 0; c < static_cast<int>(count) && !in_.error; ++c) {
            const std::string_view word = in_.word();
            const auto* found =
                std::find_if(std::begin(kChannelNames), std::end(kChannelNames),
                             [&](std::string_view n) { return same_word(n, word); });
            if (found == std::end(kChannelNames))
                return in_.fail(
                    word, "Xposition, Yposition, Zposition, Xrotation, Yrotation or Zrotation");
            const auto kind = static_cast<ChannelKind>(found - std::begin(kChannelNames));
            for (const BvhChannel& other : channels_)
                if (other.node == node && other.kind == kind)
                    return in_.fail(word, "each channel once per joint");
            channels_.push_back({node, kind});
            if (kind >= ChannelKind::kTurnX) order += word[0] & ~0x20;
        }
        out_.scene.nodes[static_cast<std::size_t>(node)].order = parse_euler_order(order);
    }

    void read_motion() {
        in_.expect("Frames:");
        const double declared = in_.number();
        in_.expect("Frame");
        in_.expect("Time:");
        const double frame_time = in_.number();
        if (in_.error) return;
        if (!(frame_time > 1e-6 && frame_time <= 1000))
            return in_.fail(fmt::format("{}", frame_time), "a frame time in seconds above 0");
        if (declared < 1 || declared != std::floor(declared) || declared > 1e9)
            return in_.fail(fmt::format("{} frames", declared), "at least one frame");
        Scene& scene = out_.scene;
        scene.rate = snap_rate(1 / frame_time);
        scene.rate_known = true;
        // Every number takes at least a digit and a space: the rest of the file bounds the frames.
        const std::size_t most =
            channels_.empty() ? 0 : in_.bytes_left() / (2 * channels_.size()) + 1;
        if (static_cast<double>(most) < declared && !channels_.empty())
            return in_.fail(fmt::format("{} frames declared, bytes for {} at most", declared, most),
                            "as many lines of numbers as frames");
        start_timeline(most);
        std::vector<double> row(channels_.size());
        std::size_t frames = 0;
        while (!in_.error && !channels_.empty() && !in_.at_end()) {
            for (double& value : row) value = in_.number();
            if (!in_.error) add_frame(frames++, row);
        }
        if (!in_.error) finish(frames, declared);
    }

    /// Makes one translation or rotation curve per node that has channels of that kind.
    void start_timeline(std::size_t frames) {
        Timeline timeline;
        timeline.name = "motion";
        const std::size_t nodes = out_.scene.nodes.size();
        place_.assign(nodes, kNone);
        turn_.assign(nodes, kNone);
        for (const BvhChannel& channel : channels_) {
            const bool turns = channel.kind >= ChannelKind::kTurnX;
            int& slot = (turns ? turn_ : place_)[static_cast<std::size_t>(channel.node)];
            if (slot != kNone) continue;
            slot = static_cast<int>(timeline.channels.size());
            Channel curve{channel.node, turns ? Path::kRotation : Path::kTranslation, {}};
            curve.curve.width = turns ? 4 : 3;
            curve.curve.values.reserve(frames * (turns ? 4 : 3));
            curve.curve.times.reserve(frames);
            timeline.channels.push_back(std::move(curve));
        }
        out_.scene.timelines.push_back(std::move(timeline));
    }

    void add_frame(std::size_t frame, const std::vector<double>& row) {
        const std::size_t nodes = out_.scene.nodes.size();
        places_.assign(nodes, {});
        turns_.assign(nodes, {});
        for (std::size_t n = 0; n < nodes; ++n) places_[n] = out_.scene.nodes[n].local.t;
        for (std::size_t c = 0; c < row.size(); ++c) {
            const auto node = static_cast<std::size_t>(channels_[c].node);
            const double radians = row[c] * std::numbers::pi / 180;
            switch (channels_[c].kind) {
                case ChannelKind::kX:
                    places_[node].x = row[c];
                    break;
                case ChannelKind::kY:
                    places_[node].y = row[c];
                    break;
                case ChannelKind::kZ:
                    places_[node].z = row[c];
                    break;
                case ChannelKind::kTurnX:
                    turns_[node] = turns_[node] * from_axis_angle({1, 0, 0}, radians);
                    break;
                case ChannelKind::kTurnY:
                    turns_[node] = turns_[node] * from_axis_angle({0, 1, 0}, radians);
                    break;
                case ChannelKind::kTurnZ:
                    turns_[node] = turns_[node] * from_axis_angle({0, 0, 1}, radians);
                    break;
            }
        }
        const double seconds = out_.scene.rate.seconds(static_cast<std::int64_t>(frame));
        auto& channels = out_.scene.timelines[0].channels;
        for (std::size_t n = 0; n < nodes; ++n) {
            if (place_[n] != kNone) {
                Curve& curve = channels[static_cast<std::size_t>(place_[n])].curve;
                curve.times.push_back(seconds);
                curve.values.insert(curve.values.end(), {places_[n].x, places_[n].y, places_[n].z});
            }
            if (turn_[n] != kNone) {
                Curve& curve = channels[static_cast<std::size_t>(turn_[n])].curve;
                Quat q = turns_[n];
                if (frame > 0) {
                    const double* b = &curve.values[curve.values.size() - 4];
                    q = nearest(q, Quat{b[0], b[1], b[2], b[3]});
                }
                curve.times.push_back(seconds);
                curve.values.insert(curve.values.end(), {q.x, q.y, q.z, q.w});
            }
        }
    }

    void finish(std::size_t frames, double declared) {
        if (channels_.empty()) {
            out_.scene.timelines.clear();
        } else if (frames == 0) {
            return in_.fail("", "as many lines of numbers as frames");
        }
        if (static_cast<double>(frames) < declared && !channels_.empty())
            return in_.fail(fmt::format("{} frames", frames),
                            fmt::format("{} frames, as declared", declared));
        if (static_cast<double>(frames) > declared)
            out_.findings.push_back(
                {Code::kAssumed, Severity::kWarning, in_.where(),
                 fmt::format("{} frames where {} are declared", frames, declared),
                 "as many lines as frames", "all of them were read"});
    }

    BvhCursor in_;
    ReadLimits limits_;
    ReadResult out_;
    std::vector<BvhChannel> channels_;
    std::vector<int> place_, turn_;  // curve of each node, or kNone
    std::vector<Vec3> places_;
    std::vector<Quat> turns_;
};

}  // namespace

Result<ReadResult> read_bvh(std::string_view text, const std::string& file,
                            const ReadLimits& limits) {
    return BvhReader(text, file, limits).read();
}

}  // namespace mellow
