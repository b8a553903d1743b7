// Reading a joint list; declared in joint_fit.h.
#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <unordered_map>

#include "mellow/joint_fit.h"

namespace mellow {
namespace {

constexpr std::string_view kBlank = " \t";
constexpr std::size_t kMostJoints = 65'536;  // glTF counts joints of a vertex in 16 bits

/// A line without its comment and the blanks behind.
std::string_view bare(std::string_view line) {
    line = line.substr(0, line.find('#'));
    const auto last = line.find_last_not_of(" \t\r");
    return last == line.npos ? std::string_view{} : line.substr(0, last + 1);
}

std::vector<std::string_view> words_of(std::string_view line) {
    std::vector<std::string_view> words;
    for (std::size_t at = line.find_first_not_of(kBlank); at != line.npos;) {
        const std::size_t end = line.find_first_of(kBlank, at);
        words.push_back(line.substr(at, end - at));
        at = line.find_first_not_of(kBlank, end);
    }
    return words;
}

std::optional<double> number(std::string_view word) {
    double value = 0;
    const auto [end, error] = std::from_chars(word.data(), word.data() + word.size(), value);
    const bool whole = error == std::errc{} && end == word.data() + word.size();
    return whole && std::isfinite(value) ? std::optional(value) : std::nullopt;
}

class ListReader {
  public:
    explicit ListReader(const std::string& file) { list_.file = file; }

    Result<JointList> run(std::string_view text) {
        for (int line = 1; !text.empty(); ++line) {
            const std::size_t end = text.find('\n');
            read(bare(text.substr(0, end)), line);
            text = end == text.npos ? std::string_view{} : text.substr(end + 1);
        }
        if (list_.joints.empty() && wrong_.empty())
            say(Code::kValueBad, 1, "no joint", "a name on each line");
        if (!wrong_.empty()) return wrong_;
        return std::move(list_);
    }

  private:
    void say(Code code, int line, std::string found, std::string expected) {
        wrong_.push_back({code, Severity::kStop, Place::in(list_.file, line), std::move(found),
                          std::move(expected), "correct the list"});
    }

    void read(std::string_view line, int number_of_line) {
        const std::size_t depth = line.find_first_not_of(kBlank);
        if (depth == line.npos) return;
        const auto words = words_of(line);
        ListedJoint joint;
        joint.line = number_of_line;
        // Names may hold blanks: what stands before three numbers, or the whole line.
        std::size_t names = words.size();
        if (words.size() > 3) {
            const auto x = number(words[names - 3]), y = number(words[names - 2]),
                       z = number(words[names - 1]);
            if (x && y && z) {
                joint.place = Vec3{*x, *y, *z};
                names -= 3;
            }
        }
        const char* first = words[0].data();
        const std::string_view last = words[names - 1];
        joint.name = std::string(first, last.data() + last.size());
        while (!open_.empty() && open_.back().depth >= depth) open_.pop_back();
        if (open_.empty() && !list_.joints.empty() && depth != first_depth_)
            say(Code::kValueBad, number_of_line,
                fmt::format("\"{}\" indented below nothing", joint.name),
                "a line above that is indented less");
        if (list_.joints.empty()) first_depth_ = depth;
        // Brothers stand below each other.
        if (!open_.empty()) {
            std::size_t& inner = open_.back().inner;
            if (inner != 0 && inner != depth)
                say(Code::kValueBad, number_of_line,
                    fmt::format("\"{}\" indented by {}, its brothers by {}", joint.name, depth,
                                inner),
                    "an indentation that a line above has, or a deeper one");
            inner = inner == 0 ? depth : inner;
            joint.parent = open_.back().joint;
        }
        const auto [have, fresh] = lines_.emplace(joint.name, number_of_line);
        if (!fresh)
            say(Code::kNameClash, number_of_line,
                fmt::format("\"{}\" a second time, as in line {}", joint.name, have->second),
                "every joint once");
        if (list_.joints.size() == kMostJoints)
            say(Code::kLimit, number_of_line, "more joints",
                fmt::format("at most {}", kMostJoints));
        if (list_.joints.size() >= kMostJoints) return;
        open_.push_back({depth, static_cast<int>(list_.joints.size()), 0});
        list_.joints.push_back(std::move(joint));
    }

    struct Open {
        std::size_t depth;
        int joint;
        std::size_t inner;  ///< depth of what hangs on it; 0: nothing yet
    };
    JointList list_;
    Findings wrong_;
    std::vector<Open> open_;
    std::size_t first_depth_ = 0;
    std::unordered_map<std::string, int> lines_;
};

}  // namespace

Result<JointList> parse_joint_list(std::string_view text, const std::string& file) {
    return ListReader(file).run(text);
}

}  // namespace mellow
