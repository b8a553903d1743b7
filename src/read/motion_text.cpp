// Reading motion as text; declared in motion_text.h.
#include "mellow/motion_text.h"

#include <fmt/format.h>
#include <simdjson.h>

#include <charconv>
#include <cmath>
#include <map>

#include "mellow/read.h"

namespace mellow {
namespace {

struct Word {
    std::string text;
    bool quoted = false;
};

class MotionTextReader {
  public:
    MotionTextReader(std::string_view text, const std::string& file) : text_(text), file_(file) {}

    Result<Scene> run() {
        next();
        if (row_ != kMotionTextHead) return broken(std::string(kMotionTextHead));
        while (next()) {
            if (row_.empty()) continue;
            MELLOW_CHECK(line());
        }
        if (!scene_.rate_known) scene_.rate_known = guess_rate(scene_, scene_.rate);
        return std::move(scene_);
    }

  private:
    Finding broken(std::string expected) const {
        std::string found(row_.substr(0, 60));
        return {Code::kMotionTextBroken,
                Severity::kStop,
                Place::in(file_, line_),
                found.empty() ? "the end of the text" : "\"" + found + "\"",
                std::move(expected),
                "write the text again",
                {},
                {{Call::Job::kDescribe, "FILE", {{Call::Option::kDump}}}}};
    }

    bool next() {
        ++line_;
        if (text_.empty()) {
            row_ = {};
            return false;
        }
        const std::size_t end = std::min(text_.find('\n'), text_.size());
        row_ = text_.substr(0, end);
        text_.remove_prefix(std::min(end + 1, text_.size()));
        if (row_.ends_with('\r')) row_.remove_suffix(1);
        return true;
    }

    /// Words of the row; \\, \" and \n stand in texts in quotes. Empty where a quote does not
    /// close.
    std::vector<Word> words() const {
        std::vector<Word> out;
        for (std::size_t i = 0; i < row_.size();) {
            if (row_[i] == ' ') {
                ++i;
            } else if (row_[i] == '"') {
                Word word{{}, true};
                for (++i; i < row_.size() && row_[i] != '"'; ++i) {
                    char c = row_[i];
                    if (c == '\\' && ++i < row_.size())
                        c = row_[i] == 'n' ? '\n' : row_[i] == 'r' ? '\r' : row_[i];
                    word.text += c;
                }
                if (i++ >= row_.size()) return {};
                out.push_back(std::move(word));
            } else {
                const std::size_t end = std::min(row_.find(' ', i), row_.size());
                out.push_back({std::string(row_.substr(i, end - i)), false});
                i = end;
            }
        }
        return out;
    }

    static bool number(std::string_view& rest, bool single, double& out) {
        while (!rest.empty() && rest.front() == ' ') rest.remove_prefix(1);
        const char *from = rest.data(), *end = from + rest.size();
        std::from_chars_result result{from, std::errc::invalid_argument};
        if (single) {
            float v = 0;
            result = std::from_chars(from, end, v);
            out = static_cast<double>(v);
        } else {
            result = std::from_chars(from, end, out);
        }
        rest.remove_prefix(static_cast<std::size_t>(result.ptr - from));
        return result.ec == std::errc() && std::isfinite(out) && std::abs(out) <= 1e30;
    }

    /// A row of `count` numbers and nothing else.
    bool numbers(std::size_t count, bool single, double* out) const {
        std::string_view rest = row_;
        for (std::size_t i = 0; i < count; ++i)
            if (!number(rest, single, out[i])) return false;
        return rest.find_first_not_of(' ') == rest.npos;
    }

    Status line() {
        const std::size_t blank = std::min(row_.find(' '), row_.size());
        const std::string_view kind = row_.substr(0, blank);
        if (kind == "extras" && !scene_.timelines.empty()) {
            const std::string_view json = row_.substr(std::min(blank + 1, row_.size()));
            simdjson::dom::parser parser;
            simdjson::dom::object object;
            if (parser.parse(simdjson::padded_string(json)).get(object) != simdjson::SUCCESS)
                return broken("extras and a JSON object");
            scene_.timelines.back().extras = json;
            return {};
        }
        const std::vector<Word> all = words();
        if (all.empty()) return broken("words, with texts in quotes");
        if (kind == "up") return convention(all);
        if (kind == "rate") return rate(all);
        if (kind == "numbers" && all.size() == 2 &&
            (all[1].text == "single" || all[1].text == "double")) {
            single_ = all[1].text == "single";
            return {};
        }
        if (kind == "node") return node(all);
        if (kind == "timeline" && all.size() == 2 && all[1].quoted) {
            scene_.timelines.emplace_back().name = all[1].text;
            return {};
        }
        if (!scene_.timelines.empty()) {
            if (kind == "track") return track(all);
            if (kind == "weights") return weights(all);
            if (kind == "scalar") return scalar(all);
        }
        return broken(
            "up, rate, numbers, node or timeline; below a timeline extras, track, weights or "
            "scalar");
    }

    Status convention(const std::vector<Word>& w) {
        const char* expected = "up +Y front +Z hand right unit 1";
        if (w.size() != 8 || w[2].text != "front" || w[4].text != "hand" || w[6].text != "unit")
            return broken(expected);
        const auto up = parse_axis(w[1].text), front = parse_axis(w[3].text);
        const auto unit = parse_unit(w[7].text);
        const bool left = w[5].text == "left";
        if (!up || !front || !unit || (!left && w[5].text != "right")) return broken(expected);
        const Convention c{*unit, *up, *front, left ? Hand::kLeft : Hand::kRight};
        if (!is_valid(c)) return broken("up and front along two lines");
        scene_.convention = scene_.stack_convention = c;
        return {};
    }

    Status rate(const std::vector<Word>& w) {
        const auto rate = w.size() == 2 ? parse_rate(w[1].text) : std::nullopt;
        if (!rate) return broken("rate 30 or rate 30000/1001");
        scene_.rate = *rate;
        scene_.rate_known = true;
        return {};
    }

    Status node(const std::vector<Word>& w) {
        const bool under = w.size() == 4 && w[2].text == "under" && w[3].quoted;
        if (w.size() < 2 || !w[1].quoted || (w.size() != 2 && !under))
            return broken("node \"name\" under \"another\"");
        Node out;
        out.name = w[1].text;
        const int index = static_cast<int>(scene_.nodes.size());
        if (scene_.nodes.size() >= ReadLimits{}.nodes)
            return Finding{Code::kLimit,
                           Severity::kStop,
                           Place::in(file_, line_),
                           "more nodes",
                           fmt::format("at most {}", ReadLimits{}.nodes),
                           ""};
        if (under) {
            const auto parent = names_.find(w[3].text);
            if (parent == names_.end()) return broken("under a node that stands above it");
            out.parent = parent->second;
        } else {
            scene_.roots.push_back(index);
        }
        if (!names_.emplace(out.name, index).second) return broken("one name per node");
        double v[10];
        if (!next() || !numbers(10, false, v))
            return broken("ten numbers: place, rotation x y z w, scale");
        out.local = {{v[0], v[1], v[2]}, {v[3], v[4], v[5], v[6]}, {v[7], v[8], v[9]}};
        const double size = std::sqrt(v[3] * v[3] + v[4] * v[4] + v[5] * v[5] + v[6] * v[6]);
        if (std::abs(size - 1) > 1e-3) return broken("a unit quaternion");
        scene_.nodes.push_back(std::move(out));
        return {};
    }

    Status track(const std::vector<Word>& w) {
        const auto found = w.size() == 4 ? names_.find(w[1].text) : names_.end();
        for (const Path path : {Path::kTranslation, Path::kRotation, Path::kScale})
            if (found != names_.end() && name(path) == w[2].text) {
                Channel channel{found->second, path, {}};
                channel.curve.width = path == Path::kRotation ? 4 : 3;
                MELLOW_CHECK(curve(w.back().text, channel.curve));
                scene_.timelines.back().channels.push_back(std::move(channel));
                return {};
            }
        return broken("track \"node\" translation, rotation or scale, and linear, step or cubic");
    }

    Status weights(const std::vector<Word>& w) {
        if (w.size() < 4) return broken("weights \"mesh\" \"target\" linear");
        MorphCurve morph{w[1].text, {}, {}};
        for (std::size_t i = 2; i + 1 < w.size(); ++i) morph.targets.push_back(w[i].text);
        morph.curve.width = static_cast<int>(morph.targets.size());
        MELLOW_CHECK(curve(w.back().text, morph.curve));
        scene_.timelines.back().morphs.push_back(std::move(morph));
        return {};
    }

    Status scalar(const std::vector<Word>& w) {
        if (w.size() != 4) return broken("scalar \"name\" \"unit\" linear");
        ScalarCurve scalar{w[1].text, w[2].text, {}};
        scalar.curve.width = 1;
        MELLOW_CHECK(curve(w.back().text, scalar.curve));
        scene_.timelines.back().scalars.push_back(std::move(scalar));
        return {};
    }

    /// The rows below: those that begin with a blank.
    Status curve(const std::string& how, Curve& out) {
        if (how == "step")
            out.interpolation = Interpolation::kStep;
        else if (how == "cubic")
            out.interpolation = Interpolation::kCubicSpline;
        else if (how != "linear")
            return broken("step, linear or cubic at the end");
        const std::size_t row = static_cast<std::size_t>(out.width) * (how == "cubic" ? 3 : 1);
        std::vector<double> values(row + 1);
        while (text_.starts_with(' ') && next()) {
            if (!numbers(row + 1, single_, values.data()))
                return broken(fmt::format("seconds and {} numbers", row));
            if (std::abs(values[0]) > kLongest_s ||
                (!out.times.empty() && values[0] <= out.times.back()))
                return broken("seconds that ascend");
            out.times.push_back(values[0]);
            out.values.append(values.begin() + 1, values.end());
        }
        if (out.times.empty()) {
            next();
            return broken("at least one row of numbers, which begins with a blank");
        }
        return {};
    }

    std::string_view text_, row_;
    const std::string& file_;
    std::size_t line_ = 0;
    bool single_ = false;
    std::map<std::string, int> names_;
    Scene scene_;
};

}  // namespace

Result<Scene> read_motion_text(std::string_view text, const std::string& file) {
    return MotionTextReader(text, file).run();
}

}  // namespace mellow
