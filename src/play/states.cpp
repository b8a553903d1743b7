#include "mellow/states.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <set>

#include "base/text.h"
#include "base/toml_table.h"

namespace mellow {
namespace {

constexpr double kMostSpeed = 100, kMostBlend_s = 60;

double within(TomlTable& t, const char* key, double fallback, double least, double most) {
    const double v = t.number(key, fallback);
    if (!(v >= least && v <= most))
        t.fail(Code::kValueBad, key, fmt::format("{}", v),
               fmt::format("a number from {} to {}", least, most));
    return v;
}

class SheetReader {
  public:
    SheetReader(TomlTable& top, const std::string& file) : top_(top) { sheet_.file = file; }

    Result<StateSheet> run() {
        sheet_.start = top_.text("start");
        sheet_.signals = top_.texts("signals", {});
        if (top_.has("flags"))
            if (const toml::table* flags = top_.table("flags")) {
                TomlTable t = top_.within(*flags, "[flags]");
                for (const std::string& name : t.keys())
                    sheet_.flags.emplace_back(name, t.flag(name, false));
            }
        names();
        const auto states = top_.tables("state"), transitions = top_.tables("way");
        for (std::size_t i = 0; i < states.size(); ++i) {
            TomlTable t = top_.within(*states[i], fmt::format("state {}", i + 1));
            state(t);
        }
        if (states.empty() && !top_.failed({"state"}))
            top_.fail(Code::kKeyMissing, "state", "no state", "[[state]] with name and clip",
                      "[[state]]");
        for (std::size_t i = 0; i < transitions.size(); ++i) {
            TomlTable t = top_.within(*transitions[i], fmt::format("way {}", i + 1));
            transition(t);
        }
        if (!top_.failed({"start"}) && !names_.contains(sheet_.start))
            unknown(top_, "start", sheet_.start, "state", state_names());
        top_.close();
        MELLOW_CHECK(top_.mistakes());
        return std::move(sheet_);
    }

  private:
    std::vector<std::string> state_names() const {
        std::vector<std::string> all;
        for (const State& s : sheet_.states) all.push_back(s.name);
        return all;
    }

    static void unknown(TomlTable& t, const char* key, const std::string& name, const char* kind,
                        const std::vector<std::string>& known) {
        t.fail(Code::kNameUnknown, key, fmt::format("no {} \"{}\"", kind, name),
               known.empty() ? fmt::format("a {} of this sheet", kind) : suggest(name, known),
               "correct the name");
    }

    void names() {
        std::set<std::string> seen;
        for (const auto& [flag, value] : sheet_.flags) seen.insert(flag);
        for (const std::string& signal : sheet_.signals)
            if (!seen.insert(signal).second)
                top_.fail(Code::kNameClash, "signals", "\"" + signal + "\" twice",
                          "one name for each flag and signal", "another name");
    }

    void state(TomlTable& t) {
        State out;
        out.where = t.where("");
        out.name = t.text("name");
        out.clip = t.text("clip", out.name);
        out.speed = within(t, "speed", 1, -kMostSpeed, kMostSpeed);
        if (t.has("loop")) out.loop = t.flag("loop", false) ? State::Loop::kYes : State::Loop::kNo;
        if (!t.failed({"name"}) && (!names_.insert(out.name).second || out.name == "*"))
            t.fail(Code::kNameClash, "name", "\"" + out.name + "\" again, or *",
                   "one name per state", "another name");
        t.close();
        sheet_.states.push_back(std::move(out));
    }

    void transition(TomlTable& t) {
        Transition out;
        out.where = t.where("");
        out.from = t.text("from");
        out.to = t.text("to");
        for (const char* key : {"from", "to"}) {
            const std::string& name = key[0] == 'f' ? out.from : out.to;
            const bool any = key[0] == 'f' && name == "*";
            if (!t.failed({key}) && !any && !names_.contains(name))
                unknown(t, key, name, "state", state_names());
        }
        std::vector<std::string> when;
        if (t.is_text("when"))
            when = {t.text("when")};
        else
            when = t.texts("when", {});
        for (std::string flag : when) {
            const bool yes = !flag.starts_with("not ");
            if (!yes) flag = flag.substr(4);
            std::vector<std::string> known;
            for (const auto& [name, value] : sheet_.flags) known.push_back(name);
            if (std::find(known.begin(), known.end(), flag) == known.end())
                unknown(t, "when", flag, "flag", known);
            out.when.emplace_back(flag, yes);
        }
        out.on = t.text("on", "");
        if (!out.on.empty() &&
            std::find(sheet_.signals.begin(), sheet_.signals.end(), out.on) == sheet_.signals.end())
            unknown(t, "on", out.on, "signal", sheet_.signals);
        out.at_end = t.flag("at_end", false);
        out.blend = within(t, "blend", 0, 0, kMostBlend_s);
        out.shape = t.choice("blend_shape", {"smooth", "linear"}, "smooth") == "linear"
                        ? CurveShape::kLinear
                        : CurveShape::kSmooth;
        out.priority = within(t, "priority", 0, -1e6, 1e6);
        out.restart = t.choice("again", {"ignore", "restart"}, "ignore") == "restart";
        t.close();
        sheet_.transitions.push_back(std::move(out));
    }

    TomlTable& top_;
    StateSheet sheet_;
    std::set<std::string> names_;  ///< of its states
};

}  // namespace

int StateSheet::find(std::string_view name) const {
    for (std::size_t i = 0; i < states.size(); ++i)
        if (states[i].name == name) return static_cast<int>(i);
    return -1;
}

Result<StateSheet> parse_states(std::string_view text, const std::string& file) {
    MELLOW_TRY(const toml::table root, parse_toml(text, file));
    TomlTable top(root, file);
    return SheetReader(top, file).run();
}

Result<std::vector<PlayEvent>> parse_events(std::string_view text, const std::string& file,
                                            const StateSheet& sheet) {
    std::vector<PlayEvent> out;
    std::vector<std::string> known = sheet.signals;
    for (const auto& [flag, value] : sheet.flags) known.push_back(flag);
    for (int line = 1; !text.empty(); ++line) {
        const std::size_t end = std::min(text.find('\n'), text.size());
        std::string_view row = text.substr(0, end);
        text.remove_prefix(std::min(end + 1, text.size()));
        if (row.ends_with('\r')) row.remove_suffix(1);
        const Place where = Place::in(file, line);
        const auto broken = [&](const std::string& expected,
                                const char* remedy = "2.5,walking,yes") {
            return Finding{Code::kCsvBroken,
                           Severity::kStop,
                           where,
                           "\"" + std::string(row.substr(0, 60)) + "\"",
                           expected,
                           remedy};
        };
        if (line == 1) {
            if (row != "seconds,name,value")
                return broken("a first line seconds,name,value", "put that line first");
            continue;
        }
        if (row.empty()) continue;
        const std::size_t first = row.find(','),
                          second = first == row.npos ? first : row.find(',', first + 1);
        if (second == row.npos || row.find(',', second + 1) != row.npos)
            return broken("seconds, a name and a value");
        PlayEvent event;
        const auto [rest, error] = std::from_chars(row.data(), row.data() + first, event.seconds);
        if (error != std::errc() || rest != row.data() + first ||
            !(event.seconds >= 0 && event.seconds <= 1e6) ||
            (!out.empty() && event.seconds < out.back().seconds))
            return broken("seconds from 0 to a million that do not fall");
        event.name = row.substr(first + 1, second - first - 1);
        const std::string_view value = row.substr(second + 1);
        event.signal = std::find(sheet.signals.begin(), sheet.signals.end(), event.name) !=
                       sheet.signals.end();
        if (std::find(known.begin(), known.end(), event.name) == known.end())
            return Finding{
                Code::kNameUnknown,
                Severity::kStop,
                where,
                fmt::format("no flag and no signal \"{}\"", event.name),
                known.empty() ? "flags or signals of the sheet" : suggest(event.name, known),
                "correct the name"};
        if (event.signal ? !value.empty() : value != "yes" && value != "no")
            return broken(event.signal ? "nothing as the value of a signal" : "yes or no");
        event.value = value == "yes";
        out.push_back(std::move(event));
    }
    return out;
}

}  // namespace mellow
