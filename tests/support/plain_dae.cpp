#include "plain_dae.h"

#include <cmath>
#include <numbers>
#include <sstream>
#include <stdexcept>
#include <vector>

#include "plain_gltf.h"

namespace mellow::test {
namespace {

/// What stands between two texts, from `at` on, which is put behind it; nothing when there is none.
std::string between(const std::string& text, const std::string& from, const std::string& to,
                    std::size_t& at) {
    const auto a = text.find(from, at);
    if (a == text.npos) return at = text.npos, "";
    const auto begin = a + from.size(), end = text.find(to, begin);
    at = end;
    return text.substr(begin, end - begin);
}
std::string first(const std::string& text, const std::string& from, const std::string& to) {
    std::size_t at = 0;
    return between(text, from, to, at);
}

std::vector<double> numbers(const std::string& text) {
    std::istringstream in(text);
    std::vector<double> out;
    for (double v = 0; in >> v;) out.push_back(v);
    return out;
}

/// Numbers of the source whose array has this id.
std::vector<double> source(const std::string& dae, const std::string& id) {
    const std::string array = first(dae, "<float_array id=\"" + id + "-array\"", "</float_array>");
    return numbers(array.substr(array.find('>') + 1));
}

PlainMatrix unit() { return {{{1, 0, 0, 0}, {0, 1, 0, 0}, {0, 0, 1, 0}, {0, 0, 0, 1}}}; }

PlainMatrix element(const std::string& kind, const std::vector<double>& v) {
    PlainMatrix m = unit();
    for (std::size_t i = 0; i < 3; ++i) {
        if (kind == "translate") m[i][3] = v.at(i);
        if (kind == "scale") m[i][i] = v.at(i);
    }
    if (kind == "rotate") {  // about a unit axis, degrees (Rodrigues)
        const double a = v.at(3) * std::numbers::pi / 180, c = std::cos(a), s = std::sin(a);
        const double cross[3][3] = {{0, -v[2], v[1]}, {v[2], 0, -v[0]}, {-v[1], v[0], 0}};
        for (std::size_t i = 0; i < 3; ++i)
            for (std::size_t j = 0; j < 3; ++j)
                m[i][j] = (i == j ? c : 0) + (1 - c) * v[i] * v[j] + s * cross[i][j];
    }
    if (kind == "matrix")
        for (std::size_t i = 0; i < 16; ++i) m[i / 4][i % 4] = v.at(i);
    return m;
}

std::size_t member(const std::string& name) {
    if (name == "ANGLE") return 3;
    return static_cast<std::size_t>(name.at(0) - 'X');
}

}  // namespace

std::map<std::string, std::array<double, 3>> plain_dae_places(const std::string& dae,
                                                              const std::string& clip,
                                                              double seconds) {
    // The clip's animations, and what their channels say at that key.
    std::map<std::string, double> said;  // by "node/sid.MEMBER"
    std::size_t at = 0;
    for (std::string one = between(dae, "<animation_clip ", "</animation_clip>", at); !one.empty();
         one = between(dae, "<animation_clip ", "</animation_clip>", at)) {
        if (one.find("name=\"" + clip + "\"") == one.npos) continue;
        const double start = std::stod(first(one, "start=\"", "\""));
        const std::string id = first(one, "url=\"#", "\"");
        std::size_t channel = dae.find("<animation id=\"" + id + "\"");
        const std::size_t next = dae.find("<animation id=", channel + 1);
        for (std::string target = between(dae, "<channel source=\"#", "/>", channel);
             channel < next; target = between(dae, "<channel source=\"#", "/>", channel)) {
            const std::string sampler = target.substr(0, target.find('"'));
            const auto times = source(dae, sampler + "-in"), values = source(dae, sampler + "-out");
            std::size_t k = 0;
            while (k < times.size() && std::abs(times[k] - start - seconds) > 1e-4) ++k;
            if (k == times.size()) throw std::runtime_error("no key there: " + target);
            if (values.size() != times.size()) throw std::runtime_error("whole elements");
            said[first(target, "target=\"", "\"")] = values[k];
        }
    }
    if (said.empty()) throw std::runtime_error("no clip \"" + clip + "\" that moves");
    std::map<std::string, std::array<double, 3>> out;
    std::vector<std::pair<std::string, PlainMatrix>> open;  // the nodes around, by id
    std::vector<std::string> names;
    for (std::size_t tag = dae.find("<visual_scene "); (tag = dae.find('<', tag)) != dae.npos;) {
        const std::string words = dae.substr(tag + 1, dae.find('>', tag) - tag - 1);
        tag += words.size() + 2;
        const std::string kind = words.substr(0, words.find(' '));
        if (kind == "node") {
            open.emplace_back(first(words, "id=\"", "\""),
                              open.empty() ? unit() : open.back().second);
            names.push_back(first(words, "name=\"", "\""));
        } else if (kind == "/node") {
            const PlainMatrix& m = open.back().second;
            out[names.back()] = {m[0][3], m[1][3], m[2][3]};
            open.pop_back(), names.pop_back();
        } else if (kind == "/visual_scene") {
            break;
        } else if (!open.empty() && (kind == "translate" || kind == "rotate" || kind == "scale" ||
                                     kind == "matrix")) {
            auto values = numbers(dae.substr(tag, dae.find('<', tag) - tag));
            const std::string head = open.back().first + "/" + first(words, "sid=\"", "\"") + ".";
            for (const char* name : {"X", "Y", "Z", "ANGLE"})
                if (const auto it = said.find(head + name); it != said.end())
                    values.at(member(name)) = it->second;
            open.back().second = times(open.back().second, element(kind, values));
        }
    }
    return out;
}

}  // namespace mellow::test
