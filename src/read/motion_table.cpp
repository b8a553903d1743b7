// Reading motion tables; declared in motion_table.h.
#include <fmt/format.h>

#include <cmath>
#include <unordered_map>

#include "base/number.h"
#include "mellow/motion_table.h"

namespace mellow {
namespace {

Finding broken(const std::string& file, std::size_t line, std::string found, std::string expected) {
    return {Code::kCsvBroken, Severity::kStop,     Place::in(file, line),
            std::move(found), std::move(expected), "write the table again"};
}

/// The fields of a header line; false for quotes that do not close.
bool fields_of(std::string_view line, std::vector<std::string>& out) {
    for (std::size_t at = 0;;) {
        std::string field;
        if (at < line.size() && line[at] == '"') {
            for (++at;; ++at) {
                if (at >= line.size()) return false;
                if (line[at] != '"')
                    field += line[at];
                else if (at + 1 < line.size() && line[at + 1] == '"')
                    field += line[at++];
                else
                    break;
            }
            ++at;
        } else {
            const std::size_t end = std::min(line.find(',', at), line.size());
            field = line.substr(at, end - at);
            at = end;
        }
        out.push_back(std::move(field));
        if (at >= line.size()) return true;
        if (line[at] != ',') return false;
        ++at;
    }
}

std::string_view next_line(std::string_view& text) {
    const std::size_t end = text.find('\n');
    std::string_view line = text.substr(0, end);
    text = end == text.npos ? std::string_view{} : text.substr(end + 1);
    if (line.ends_with('\r')) line.remove_suffix(1);
    return line;
}

class TableReader {
  public:
    explicit TableReader(const std::string& file) : file_(file) {}

    Result<Scene> run(std::string_view text) {
        if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
        std::vector<std::string> header;
        if (!fields_of(next_line(text), header) || header.empty() || header[0] != "seconds")
            return broken(file_, 1, "no header", "seconds, then NAME.tx and so on");
        MELLOW_CHECK(begin(header));
        MELLOW_CHECK(rows(text, header.size()));
        return finish();
    }

  private:
    static constexpr const char* kParts[] = {"tx", "ty", "tz", "qx", "qy",
                                             "qz", "qw", "sx", "sy", "sz"};

    Status begin(const std::vector<std::string>& header) {
        for (std::size_t c = 1; c < header.size();) {
            const auto dot = header[c].rfind('.');
            const std::string name = header[c].substr(0, dot),
                              part = dot == std::string::npos ? "" : header[c].substr(dot + 1);
            if (part == "tx") {
                std::size_t parts = 0;
                while (parts < 10 && c + parts < header.size() &&
                       header[c + parts] == name + "." + kParts[parts])
                    ++parts;
                if (parts != 7 && parts != 10)
                    return broken(file_, 1, fmt::format("{} columns of \"{}\"", parts, name),
                                  "tx ty tz qx qy qz qw, and sx sy sz where it has a scale");
                groups_.push_back({Group::kJoint, name, {}, c, parts});
                c += parts;
            } else if (part == "weight" && name.find('/') != std::string::npos) {
                const auto slash = name.rfind('/');
                const std::string mesh = name.substr(0, slash), target = name.substr(slash + 1);
                if (groups_.empty() || groups_.back().kind != Group::kMorph ||
                    groups_.back().name != mesh)
                    groups_.push_back({Group::kMorph, mesh, {}, c, 0});
                groups_.back().targets.push_back(target);
                ++groups_.back().count;
                ++c;
            } else if (part == "value") {
                groups_.push_back({Group::kScalar, name, {}, c, 1});
                ++c;
            } else {
                return broken(file_, 1, fmt::format("a column \"{}\"", header[c]),
                              "NAME.tx and so on, MESH/TARGET.weight or NAME.value");
            }
        }
        return {};
    }

    Status rows(std::string_view text, std::size_t columns) {
        values_.resize(columns);
        for (std::size_t line = 2; !text.empty(); ++line) {
            const std::string_view row = next_line(text);
            if (row.empty()) continue;
            const char *at = row.data(), *end = row.data() + row.size();
            for (std::size_t c = 0; c < columns; ++c) {
                double value = 0;
                if (!parse_number(at, end, value) || !std::isfinite(value) ||
                    std::abs(value) > 1e30)
                    return broken(file_, line, fmt::format("no number in column {}", c + 1),
                                  "a finite number");
                values_[c].push_back(value);
                const bool last = c + 1 == columns;
                if (last ? at != end : (at == end || *at != ','))
                    return broken(
                        file_, line,
                        last ? "more columns than the header" : fmt::format("{} columns", c + 1),
                        fmt::format("{}", columns));
                at += last ? 0 : 1;
            }
            if (values_[0].size() > 1 && !(values_[0].back() > values_[0][values_[0].size() - 2]))
                return Finding{Code::kNumberBad,       Severity::kStop,
                               Place::in(file_, line), fmt::format("{} seconds", values_[0].back()),
                               "times that ascend",    "write the table again"};
        }
        if (values_[0].empty()) return broken(file_, 2, "no row", "one for each sample");
        return {};
    }

    Curve curve(std::size_t first, std::size_t width) const {
        Curve out{Interpolation::kLinear, static_cast<int>(width), times_, {}};
        std::vector<double>& values = out.values.edit();
        for (std::size_t k = 0; k < times_.size(); ++k)
            for (std::size_t c = 0; c < width; ++c) values.push_back(values_[first + c][k]);
        return out;
    }

    Scene finish() {
        times_ = KeyTimes(values_[0]);
        Scene scene;
        Timeline& timeline = scene.timelines.emplace_back();
        timeline.name = file_.substr(0, file_.rfind('.'));
        for (const Group& g : groups_) {
            if (g.kind == Group::kMorph)
                timeline.morphs.push_back({g.name, g.targets, curve(g.first, g.count)});
            if (g.kind == Group::kScalar)
                timeline.scalars.push_back({g.name, "", curve(g.first, 1)});
            if (g.kind != Group::kJoint) continue;
            const int node = static_cast<int>(scene.nodes.size());
            scene.nodes.emplace_back().name = g.name;
            scene.roots.push_back(node);
            timeline.channels.push_back({node, Path::kTranslation, curve(g.first, 3)});
            timeline.channels.push_back({node, Path::kRotation, curve(g.first + 3, 4)});
            if (g.count == 10)
                timeline.channels.push_back({node, Path::kScale, curve(g.first + 7, 3)});
        }
        scene.rate_known = guess_rate(scene, scene.rate);
        return scene;
    }

    struct Group {
        enum Kind { kJoint, kMorph, kScalar } kind;
        std::string name;
        std::vector<std::string> targets;
        std::size_t first = 0, count = 0;  ///< columns
    };
    const std::string& file_;
    std::vector<Group> groups_;
    std::vector<std::vector<double>> values_;  ///< [column][row]
    KeyTimes times_;
};

}  // namespace

Result<Scene> read_motion_table(std::string_view text, const std::string& file) {
    return TableReader(file).run(text);
}

}  // namespace mellow
