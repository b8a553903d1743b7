// twist: joints along a bone share the turn about it. Equations are in docs/rig-sheet.md.
#include <fmt/format.h>

#include "model/lanes.h"
#include "rig/rules.h"
#include "rig/sheet_words.h"
#include "rig/turn_lanes.h"

namespace mellow {

TwistRule read_twist(TomlTable& t) {
    TwistRule rule;
    rule.source = t.text("source");
    rule.axis = read_axis(t, "axis");
    for (const toml::table* table : t.tables("share")) {
        TomlTable s = t.inner(*table, "share");
        const std::string node = s.text("node");
        rule.shares.push_back({node, read_within(s, "part", {}, -4, 4)});
        s.close();
    }
    if (rule.shares.empty())
        t.fail(Code::kKeyMissing, "", "no [[rule.share]]", "at least one node that shares the turn",
               "add: [[rule.share]] with node = \"...\" and part = 0.5");
    return rule;
}

void convert(TwistRule& rule, const Conversion& c) { rule.axis = c.turning_axis(rule.axis); }

Result<BoundTwist> bind(const TwistRule& rule, Binder& binder) {
    BoundTwist bound{};
    MELLOW_TRY(bound.source, binder.node("source", rule.source));
    bound.axis = rule.axis;
    bound.rest = binder.rest_local(bound.source).r;
    binder.reads_local(bound.source);
    std::string names;
    for (const TwistRule::Share& share : rule.shares) {
        BoundTwist::Share s{};
        MELLOW_TRY(s.node, binder.node("share", share.node));
        s.share = share.share;
        s.rest = binder.rest_local(s.node).r;
        bound.shares.push_back(s);
        MELLOW_CHECK(binder.writes(s.node, kOrientation));
        names += (names.empty() ? "" : " ") + share.node;
    }
    binder.line(fmt::format("twist {} <- {}", names, rule.source));
    return bound;
}

void run(const BoundTwist& rule, PoseTile& tile) {
    const TurnRows turn = turns(local_rows(tile, rule.source));
    alignas(64) double angle[kTileFrames], part[kTileFrames];
    twist_angles({}, turn, conjugate(rule.rest), rule.axis, angle);
    for (const BoundTwist::Share& share : rule.shares) {
        for (int f = 0; f < kF; ++f) part[f] = share.share * angle[f];
        turn_about({}, rule.axis, part, share.rest, turns(local_rows(tile, share.node)));
    }
}

}  // namespace mellow
