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

    void fail(std::string_view word, std::string expected, Code code = Code::kBvhBroken) {
        if (error) return;
        std::string shown =
            word.empty() ? "the end of the file" : "\"" + std::string(word.substr(0, 60)) + "\"";
        error = Finding{code,
                        Severity::kStop,
                        where(),
                        std::move(shown),
                        std::move(expected),
                        "the file is cut short or no BVH; write it again"};
    }
    Place where() const { return where(line_); }
    Place where(int line) const { return Place::in(file_, line); }
    const std::string& file() const { return file_; }
    int line() const { return line_; }

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
        out_.kind = FileFormat::kBvh;
        out_.format = "BVH";
        out_.keys_on_frames = true;
        read_hierarchy();
        if (!in_.error) read_motion();
        if (in_.error) return *in_.error;
        out_.findings.push_back(
            {Code::kAssumed,
             Severity::kNote,
             Place::in(in_.file()),
             "BVH does not say its unit and axes",
             "metre, +Y up, +Z front were assumed",
             "unit, up and front under [source] say otherwise",
             {{"source", "unit", ""}, {"source", "up", ""}, {"source", "front", ""}}});
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
        frames_line_ = in_.line();
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
        if (static_cast<double>(most) < declared && !channels_.empty() &&
            limits_.bvh_frames != BvhFrames::kAll)
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
        const bool fewer =
            static_cast<double>(frames)<declared, more = static_cast<double>(frames)> declared;
        if (fewer && limits_.bvh_frames != BvhFrames::kAll) {
            in_.error = Finding{
                Code::kBvhBroken,
                Severity::kStop,
                in_.where(frames_line_),
                fmt::format("{} frames declared, but {} lines of numbers", declared, frames),
                "as many lines as frames",
                "the file may be cut short; frames = \"all\" under [source] takes what is there",
                {{"source", "frames", "\"all\""}}};
            return;
        }
        const bool cut = more && limits_.bvh_frames == BvhFrames::kDeclared;
        if ((fewer || more) && !limits_.bvh_frames)
            out_.findings.push_back(
                {Code::kAssumed,
                 Severity::kWarning,
                 in_.where(frames_line_),
                 fmt::format("{} frames declared, but {} lines of numbers", declared, frames),
                 "as many lines as frames",
                 "all were taken; frames = \"declared\" under [source] takes only those; \"all\" "
                 "says it is well",
                 {{"source", "frames", "\"declared\""}}});
        motion.finish(cut ? static_cast<std::size_t>(declared) : frames);
        take_places();
    }

    /// Which of the two meanings of position channels the places speak for; see read_bvh().
    void take_places() {
        Scene& scene = out_.scene;
        std::vector<std::pair<double, double>> votes;  // how far along OFFSET, weight
        double weight = 0;
        for (const Channel& channel : scene.timelines[0].channels) {
            if (channel.path != Path::kTranslation) continue;
            const Vec3 offset = offset_of(channel.node);
            const double square = dot(offset, offset);
            if (square == 0) continue;
            const std::span<const double> p = channel.curve.values.doubles();
            std::vector<double> along;
            for (std::size_t i = 0; i + 2 < p.size(); i += 3)
                along.push_back(dot(offset, {p[i], p[i + 1], p[i + 2]}) / square);
            const auto middle = along.begin() + static_cast<std::ptrdiff_t>(along.size() / 2);
            std::nth_element(along.begin(), middle, along.end());
            votes.emplace_back(*middle, square);
            weight += square;
        }
        if (votes.empty()) return;  // both meanings are one
        std::sort(votes.begin(), votes.end());
        double upto = 0, middle = votes.back().first;
        for (const auto& [along, w] : votes)
            if ((upto += w) >= weight / 2) {
                middle = along;
                break;
            }
        const bool added =
            limits_.bvh_places ? *limits_.bvh_places == BvhPlaces::kAdded : middle < 0.5;
        const std::vector<Edit> edits{{"source", "places", added ? "\"instead\"" : "\"added\""}};
        if (!limits_.bvh_places)
            out_.findings.push_back(
                {Code::kAssumed,
                 std::abs(middle - 0.5) < 0.25 ? Severity::kWarning : Severity::kNote,
                 Place::in(in_.file()),
                 fmt::format("position channels lie {:.2f} of the way from zero to OFFSET", middle),
                 added ? "near zero they are added to OFFSET: that was assumed"
                       : "near OFFSET they stand in its place: that was assumed",
                 edit_lines(edits) + ", if it is not so", edits});
        if (!added) return;
        for (Channel& channel : scene.timelines[0].channels) {
            const Vec3 offset = offset_of(channel.node);
            if (channel.path != Path::kTranslation || dot(offset, offset) == 0) continue;
            std::vector<double>& p = channel.curve.values.edit();
            for (std::size_t i = 0; i + 2 < p.size(); i += 3)
                p[i] += offset.x, p[i + 1] += offset.y, p[i + 2] += offset.z;
        }
    }

    /// OFFSET of a joint along the axes that it has position channels for; 0 along the others,
    /// which keep theirs in both meanings.
    Vec3 offset_of(int node) const {
        bool has[3] = {false, false, false};
        for (const BvhChannel& c : channels_)
            if (c.node == node && c.kind < BvhChannel::kTurnX) has[c.kind] = true;
        const Vec3 t = out_.scene.nodes[static_cast<std::size_t>(node)].local.t;
        return {has[0] ? t.x : 0, has[1] ? t.y : 0, has[2] ? t.z : 0};
    }

    BvhCursor in_;
    ReadLimits limits_;
    ReadResult out_;
    std::vector<BvhChannel> channels_;
    int frames_line_ = 0;
};

}  // namespace

Result<ReadResult> read_bvh(std::string_view text, const std::string& file,
                            const ReadLimits& limits) {
    return BvhReader(text, file, limits).read();
}

}  // namespace mellow
