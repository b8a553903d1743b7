// BVH: a hierarchy with channels, then one line of numbers per frame.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/number.h"
#include "mellow/read.h"
#include "read/bvh_motion.h"

namespace mellow {
namespace {

constexpr std::string_view kChannelNames[] = {"Xposition", "Yposition", "Zposition",
                                              "Xrotation", "Yrotation", "Zrotation"};

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
        skip_space();
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
        skip_space();
        const char *p = text_.data() + at_, *const end = text_.data() + text_.size();
        double value = 0;
        if (parse_number(p, end, value) && (p == end || is_space(*p)) && std::isfinite(value)) {
            at_ = static_cast<std::size_t>(p - text_.data());
            return value;
        }
        fail(word(), "a finite number");
        return 0;
    }
    /// Fills a row; what is no number is reported as number() does.
    void numbers(std::vector<double>& row) {
        bool good = true;
        const char *p = text_.data() + at_, *const end = text_.data() + text_.size();
        int lines = 0;
        for (double& value : row) {
            while (p != end && is_space(*p)) lines += *p++ == '\n' ? 1 : 0;
            const char* const from = p;
            if (parse_number(p, end, value) && (p == end || is_space(*p)) && std::isfinite(value))
                continue;
            p = from;
            good = false;
            break;
        }
        at_ = static_cast<std::size_t>(p - text_.data());
        line_ += lines;
        if (!good) (void)number();
    }
    bool at_end() {
        skip_space();
        return at_ == text_.size();
    }
    std::string_view rest() const { return text_.substr(at_); }
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
    void skip_space() {
        while (at_ < text_.size() && is_space(text_[at_])) line_ += text_[at_++] == '\n' ? 1 : 0;
    }
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
             "metre, +Y up, +Z front were assumed", "--unit, --up and --front say otherwise"});
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
            const auto kind = static_cast<BvhChannel::Kind>(found - std::begin(kChannelNames));
            for (const BvhChannel& other : channels_)
                if (other.node == node && other.kind == kind)
                    return in_.fail(word, "each channel once per joint");
            channels_.push_back({node, kind});
            if (kind >= BvhChannel::kTurnX) order += word[0] & ~0x20;
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
        if (channels_.empty()) return;
        if (static_cast<double>(most) * static_cast<double>(scene.nodes.size()) >
            2 * static_cast<double>(limits_.keys))
            return in_.fail(
                fmt::format("room for {} frames of {} joints", most, scene.nodes.size()),
                fmt::format("at most {} keys", limits_.keys), Code::kLimit);
        BvhMotion motion(scene, channels_);
        if (const auto frames = motion.read_lines(in_.rest()))
            return finish(motion, *frames, declared);
        // Lines that are no frames, or something that is no number: one after the other.
        std::vector<double> row(channels_.size());
        std::size_t frames = 0;
        while (!in_.error && !in_.at_end()) {
            in_.numbers(row);
            if (!in_.error) motion.store(frames++, 1, row.data(), true);
        }
        if (!in_.error) finish(motion, frames, declared);
    }

    void finish(BvhMotion& motion, std::size_t frames, double declared) {
        if (frames == 0) return in_.fail("", "as many lines of numbers as frames");
        motion.finish(frames);
        if (static_cast<double>(frames) < declared)
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
};

}  // namespace

Result<ReadResult> read_bvh(std::string_view text, const std::string& file,
                            const ReadLimits& limits) {
    return BvhReader(text, file, limits).read();
}

}  // namespace mellow
