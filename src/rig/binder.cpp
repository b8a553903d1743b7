#include "rig/binder.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/at.h"
#include "base/text.h"
#include "base/toml_text.h"

namespace mellow {
std::string part_words(int parts) {
    std::vector<std::string> words;
    const std::pair<int, const char*> whole[] = {
        {kPosition, "position"}, {kOrientation, "orientation"}, {kScale, "scale"}};
    const std::pair<int, const char*> single[] = {
        {kPositionX, "position along X"}, {kPositionY, "position along Y"},
        {kPositionZ, "position along Z"}, {kScaleX, "scale along X"},
        {kScaleY, "scale along Y"},       {kScaleZ, "scale along Z"}};
    for (const auto& [bits, word] : whole)
        if ((parts & bits) == bits) words.emplace_back(word), parts &= ~bits;
    for (const auto& [bits, word] : single)
        if ((parts & bits) != 0) words.emplace_back(word);
    return fmt::format("{}", fmt::join(words, ", "));
}

Binder::Binder(const Scene& scene, const RigSheet& sheet)
    : scene_(scene), sheet_(sheet), rest_(rest_worlds(scene)), morphs_(scalar_layout(scene)) {
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        const auto weights = rest_weights(scene, static_cast<int>(n));
        scalars_.insert(scalars_.end(), weights.begin(), weights.end());
    }
    for (const Scalar& s : sheet.scalars) scalars_.push_back(s.value);
    turns_.assign(scene.nodes.size() + 1, kNone);
}

void Binder::begin(const Place& where, std::string_view kind) {
    ties_.emplace_back();
    where_.push_back(where);
    kinds_.emplace_back(kind);
    misnamed_ = false;
}

void Binder::end(Status bound) {
    if (!misnamed()) append(mistakes_, std::move(bound).failures());
}

Result<int> Binder::unknown(Finding finding, int stand_in, bool there) {
    if (!there) return finding;
    misnamed_ = true;
    say_once(mistakes_, {std::move(finding)});
    return stand_in;
}

int Binder::reads_turn(int node) {
    reads_world(node);
    int& turn = node == kNone ? turns_.back() : turns_[at(node)];
    if (turn == kNone) {
        turn = static_cast<int>(scalars_.size());
        scalars_.insert(scalars_.end(), {0, 0, 0, 1});
    }
    return turn;
}

std::string Binder::other_prefix(const std::string& name) const {
    const auto having = [&](const std::string& prefix) {
        return std::ranges::count_if(scene_.nodes,
                                     [&](const Node& n) { return n.name.starts_with(prefix); });
    };
    if (!sheet_.prefix.empty() && having(sheet_.prefix) > 0) return {};
    for (const Node& n : scene_.nodes) {
        if (n.name.size() <= name.size() || !n.name.ends_with(name)) continue;
        std::string prefix = n.name.substr(0, n.name.size() - name.size());
        if (having(prefix) * 2 > static_cast<std::ptrdiff_t>(scene_.nodes.size())) return prefix;
    }
    return {};
}

Result<int> Binder::node(std::string_view role, const std::string& name) {
    int found = find_node(scene_, name);
    if (found == kNone && !sheet_.prefix.empty()) found = find_node(scene_, sheet_.prefix + name);
    if (found != kNone) return found;
    // One mistake, however many names it is in.
    if (const std::string prefix = other_prefix(name); !prefix.empty())
        return unknown(
            {Code::kNameUnknown, Severity::kStop, sheet_.prefix_at,
             sheet_.prefix.empty()
                 ? "no prefix, where names of the scene have one"
                 : fmt::format("\"{}\", which no name of the scene begins with", sheet_.prefix),
             fmt::format("\"{}\", as most names of the scene", prefix),
             fmt::format("prefix = {}   # above all rules of the rig sheet", toml_text(prefix))},
            0, true);
    std::vector<std::string> names;
    for (const Node& n : scene_.nodes) {
        const bool bare = !sheet_.prefix.empty() && n.name.starts_with(sheet_.prefix);
        names.push_back(bare ? n.name.substr(sheet_.prefix.size()) : n.name);
    }
    return unknown({Code::kNameUnknown, Severity::kStop, where(),
                    fmt::format("{} names the {} \"{}\", which the scene does not have",
                                kinds_.back(), role, name),
                    suggest(name, names), "correct the name in the rig sheet"},
                   0, !scene_.nodes.empty());
}

Result<int> Binder::scalar(const std::string& name) {
    std::vector<std::string> names;
    for (std::size_t s = 0; s < sheet_.scalars.size(); ++s) {
        if (sheet_.scalars[s].name == name) return first_sheet_scalar() + static_cast<int>(s);
        names.push_back(sheet_.scalars[s].name);
    }
    return unknown({Code::kNameUnknown, Severity::kStop, where(),
                    fmt::format("{} names the scalar \"{}\", which the sheet does not have",
                                kinds_.back(), name),
                    names.empty() ? "a [[scalar]] of that name" : suggest(name, names),
                    "correct the name, or add a [[scalar]]"},
                   first_sheet_scalar(), !names.empty());
}

Result<int> Binder::amount(const Amount& amount) {
    if (!amount.scalar.empty()) {
        MELLOW_TRY(const int found, scalar(amount.scalar));
        reads_scalar(found);
        return found;
    }
    if (amount.value == 1) return kNone;
    scalars_.push_back(amount.value);
    return static_cast<int>(scalars_.size()) - 1;
}

void Binder::reads_world(int node) {
    if (node != kNone) ties_.back().worlds.push_back(node);
}

Status Binder::writes(int node, int parts, WriteStage stage, int turn) {
    if (misnamed()) return {};
    const std::size_t self = ties_.size() - 1;
    for (int part = 1; part <= kScaleZ; part *= 2) {
        if ((parts & part) == 0) continue;
        const auto [slot, fresh] = writer_.emplace(std::tuple{node, part, stage, turn}, self);
        if (!fresh && slot->second != self)
            return clash(slot->second, fmt::format("the {} of \"{}\"", part_words(parts),
                                                   scene_.nodes[at(node)].name));
    }
    ties_.back().writes.push_back({node, parts, stage});
    ties_.back().turn = turn;
    return {};
}

Status Binder::writes_scalar(int scalar, const std::string& what) {
    if (misnamed()) return {};
    const auto [slot, fresh] = scalar_writer_.emplace(scalar, ties_.size() - 1);
    if (!fresh) return clash(slot->second, what);
    ties_.back().writes_scalar = scalar;
    return {};
}

Finding Binder::clash(std::size_t first, const std::string& what) const {
    return {Code::kRuleClash,
            Severity::kStop,
            where(),
            fmt::format("drives {}, which {} drives already", what, where_[first].text()),
            "one rule per channel",
            "remove one of the two rules"};
}

std::vector<std::vector<int>> Binder::needs() const {
    const int nodes = static_cast<int>(scene_.nodes.size());
    std::vector<std::vector<int>> needs(at(nodes) + ties_.size());
    struct Writer {
        int rule, parts;
        WriteStage stage;
        int turn;
    };
    std::vector<std::vector<Writer>> writers(at(nodes));
    std::map<int, int> scalar_writer;
    for (std::size_t r = 0; r < ties_.size(); ++r) {
        for (const Write& w : ties_[r].writes)
            writers[at(w.node)].push_back({static_cast<int>(r), w.parts, w.stage, ties_[r].turn});
        if (ties_[r].writes_scalar != kNone)
            scalar_writer.emplace(ties_[r].writes_scalar, static_cast<int>(r));
    }
    for (int n = 0; n < nodes; ++n) {
        if (parent(n) != kNone) needs[at(n)].push_back(parent(n));
        for (const Writer& w : writers[at(n)]) needs[at(n)].push_back(nodes + w.rule);
    }
    for (std::size_t r = 0; r < ties_.size(); ++r) {
        const Ties& ties = ties_[r];
        std::vector<int>& own = needs[at(nodes) + r];
        own = ties.worlds;
        for (const int node : ties.locals)
            for (const Writer& w : writers[at(node)])
                if (w.rule != static_cast<int>(r)) own.push_back(nodes + w.rule);
        for (const Write& read : ties.own)
            for (const Writer& w : writers[at(read.node)])
                if (w.rule != static_cast<int>(r) && w.stage == WriteStage::kSolve &&
                    (w.parts & read.parts) != 0)
                    own.push_back(nodes + w.rule);
        for (const Write& mine : ties.writes)
            for (const Writer& w : writers[at(mine.node)])
                if (std::pair(w.stage, w.turn) < std::pair(mine.stage, ties.turn))
                    own.push_back(nodes + w.rule);
        for (const int scalar : ties.scalars)
            if (const auto w = scalar_writer.find(scalar); w != scalar_writer.end())
                own.push_back(nodes + w->second);
    }
    for (std::vector<int>& own : needs) {
        std::sort(own.begin(), own.end());
        own.erase(std::unique(own.begin(), own.end()), own.end());
    }
    return needs;
}

Finding Binder::cycle_finding(const std::vector<int>& cycle) const {
    const int nodes = static_cast<int>(scene_.nodes.size());
    std::string path;
    Place where = Place::in(sheet_.file);
    for (const int step : cycle) {
        const bool is_rule = step >= nodes;
        const std::size_t r = is_rule ? at(step - nodes) : 0;
        if (is_rule) where = where_[r];
        path += (path.empty() ? "" : " -> ") +
                (is_rule ? "[" + kinds_[r] + " rule " + std::to_string(r + 1) + "]"
                         : "\"" + scene_.nodes[at(step)].name + "\"");
    }
    return {Code::kRuleCycle,
            Severity::kStop,
            where,
            "rules and parents that need each other: " + path,
            "rules whose sources do not depend on what they drive",
            "let one of these rules follow a node outside the cycle"};
}

}  // namespace mellow
