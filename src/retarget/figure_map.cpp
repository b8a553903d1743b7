#include "mellow/figure_map.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/text.h"
#include "base/toml_table.h"
#include "base/toml_text.h"

namespace mellow {
namespace {

std::string joints_text(const std::vector<std::string>& joints) {
    return joints.size() == 1 ? toml_text(joints[0]) : toml_texts(joints);
}

std::string pair_line(const MapPair& pair) {
    std::string line = fmt::format("{} = {{ motion = {}, figure = {} }}",
                                   pair.role == Role::kOther ? toml_text(pair.name) : pair.key(),
                                   joints_text(pair.motion), joints_text(pair.figure));
    const std::string its = to_text(pair.motion_told), own = to_text(pair.figure_told);
    if (its.empty() && own.empty()) return line + "\n";
    const bool guess = pair.motion_told.guess || pair.figure_told.guess;
    return fmt::format("{:<76} # {}{}\n", line, guess ? "? " : "",
                       its == own ? its : its + "; figure: " + own);
}

std::vector<std::string> role_names() {
    std::vector<std::string> out;
    for (int r = 0; r < static_cast<int>(Role::kOther); ++r) {
        const Role role = static_cast<Role>(r);
        if (!has_sides(role))
            out.push_back(role_name(role, BodySide::kMiddle));
        else
            for (const BodySide side : {BodySide::kLeft, BodySide::kRight})
                out.push_back(role_name(role, side));
    }
    return out;
}

class MapReader {
  public:
    MapReader(const toml::table& root, const std::string& file) : top_(root, file) {}

    Result<FigureMap> run(const std::string& file) {
        out_.where = Place::in(file);
        out_.held = top_.texts("held", {});
        out_.ignored = top_.texts("ignored", {});
        if (const toml::table* turned = top_.table("turned")) {
            TomlTable t = top_.inner(*turned, "turned");
            for (const std::string& joint : t.keys()) {
                const std::vector<double> angles = t.numbers(joint);
                if (angles.size() == 3)
                    out_.turned.emplace_back(joint, Vec3{angles[0], angles[1], angles[2]});
                else if (!t.failed({joint}))
                    t.fail(Code::kValueBad, joint, fmt::format("{} numbers", angles.size()),
                           "three angles in degrees, about X, Y and Z");
            }
            t.close();
        }
        if (const toml::table* roles = top_.table("roles")) {
            TomlTable t = top_.inner(*roles, "roles");
            for (const std::string& key : t.keys()) {
                MapPair pair;
                if (!parse_role(key, pair.role, pair.side)) {
                    t.fail(Code::kNameUnknown, key, "no role of that name",
                           suggest(key, role_names()),
                           "a role; or put it under [others], if it has none");
                    t.knows({key});
                    continue;
                }
                read(t, key, std::move(pair));
            }
            t.close();
        } else if (!top_.has("roles") && !top_.has("others")) {
            top_.fail(Code::kKeyMissing, "roles", "no [roles]", "pairs of joints, role by role");
        }
        if (const toml::table* others = top_.table("others")) {
            TomlTable t = top_.inner(*others, "others");
            for (const std::string& key : t.keys()) {
                MapPair pair;
                pair.name = key;
                read(t, key, std::move(pair));
            }
            t.close();
        }
        top_.close();
        MELLOW_CHECK(top_.mistakes());
        std::stable_sort(out_.pairs.begin(), out_.pairs.end(),
                         [](const MapPair& a, const MapPair& b) {
                             return std::pair(a.role, a.side) < std::pair(b.role, b.side);
                         });
        return std::move(out_);
    }

  private:
    void read(TomlTable& t, const std::string& key, MapPair pair) {
        const toml::table* const table = t.table(key);
        if (table == nullptr) return;
        TomlTable row = t.inner(*table, key);
        pair.motion = joints(row, "motion", pair.role);
        pair.figure = joints(row, "figure", pair.role);
        row.close();
        for (const std::string& joint : pair.figure) once(row, "figure", joint, of_figure_, key);
        for (const std::string& joint : pair.motion) once(row, "motion", joint, of_motion_, key);
        out_.pairs.push_back(std::move(pair));
    }

    static std::vector<std::string> joints(TomlTable& row, const char* key, Role role) {
        if (row.is_text(key)) return {row.text(key)};
        std::vector<std::string> out = row.texts(key, {});
        if (!row.has(key))
            row.fail(Code::kKeyMissing, key, "no joint", "a name, or a list of names");
        else if (out.empty() && !row.failed({key}))
            row.fail(Code::kValueBad, key, "an empty list", "a name, or a list of names");
        else if (out.size() > 1 && !is_chain(role))
            row.fail(Code::kValueBad, key, fmt::format("{} joints", out.size()),
                     "one joint: this role is no chain");
        return out;
    }

    static void once(TomlTable& row, const char* key, const std::string& joint,
                     std::map<std::string, std::string>& taken, const std::string& role) {
        const auto [found, is_new] = taken.emplace(joint, role);
        if (!is_new)
            row.fail(Code::kNameClash, key, fmt::format("\"{}\" for the second time", joint),
                     "a joint in one role",
                     fmt::format("take it out here or under {}", found->second));
    }

    TomlTable top_;
    std::map<std::string, std::string> of_motion_, of_figure_;
    FigureMap out_;
};

}  // namespace

std::string figure_map_text(const JointMatch& match, const std::string& motion,
                            const std::string& figure) {
    std::string out = fmt::format(
        "# Which joints of {} move which joints of {}.\n"
        "# What told each pair stands behind it; look first at those with a \"?\".\n\n",
        toml_comment(motion), toml_comment(figure));
    const auto left = [&](const char* what, const std::vector<std::string>& names) {
        if (!names.empty()) out += fmt::format("# {}: {}\n", what, toml_comment(name_list(names)));
    };
    left("of the motion, without a pair", match.motion_left);
    left("of the figure, without a pair: they ride on the joint above", match.figure_left);
    out += fmt::format("held = {}      # joints of the figure that rest\n",
                       toml_texts(match.map.held));
    out += fmt::format("ignored = {}   # joints of the motion that nobody misses\n",
                       toml_texts(match.map.ignored));
    for (const bool others : {false, true}) {
        bool any = false;
        for (const MapPair& pair : match.map.pairs) {
            if ((pair.role == Role::kOther) != others) continue;
            if (!any) out += others ? "\n[others]\n" : "\n[roles]\n";
            any = true;
            out += pair_line(pair);
        }
    }
    return out;
}

Result<FigureMap> parse_figure_map(std::string_view text, const std::string& file) {
    MELLOW_TRY(const toml::table root, parse_toml(text, file));
    return MapReader(root, file).run(file);
}

}  // namespace mellow
