// Sheets of states: mistakes by their lines, ways that are never taken, what will not work.
#include "mellow/play.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>
#include <random>

#include "packing.h"
#include "plain_gltf.h"
#include "play/played_motion.h"
#include "played_crate.h"
#include "rigs.h"
#include "small_figure.h"
#include "support.h"

namespace mellow::states_test {
namespace {

using nlohmann::json;

using namespace test;

using test::read_text;

using namespace testing;

using namespace test::played;

class StatesTest : public PlayedCrate {};

TEST_F(StatesTest, WhatWillNotWorkIsSaid) {
    const auto said = [&](const std::string& states) {
        std::vector<std::string> codes;
        for (const Finding& f : player(states).check())
            if (f.severity != Severity::kNote) codes.emplace_back(name(f.code));
        return codes;
    };
    const Findings notes =
        player(test::change(kStates, "[flags]", "[flags]\nhungry = true")).check();
    ASSERT_THAT(notes, testing::SizeIs(1));
    EXPECT_EQ(notes[0].code, Code::kLeftOut);
    EXPECT_EQ(notes[0].found, "no way asks for hungry, wave");
    EXPECT_THAT(said(kStates), IsEmpty());
    EXPECT_THAT(said(test::change(kStates, "when = \"walking\"\n", "")), ElementsAre("way-open"));
    EXPECT_THAT(said(kStates + "[[state]]\nname = \"lost\"\nclip = \"stand\"\n"),
                ElementsAre("state-unreached"));
    const std::string stuck = kStates.substr(0, kStates.rfind("[[way]]"));
    EXPECT_THAT(said(stuck), ElementsAre("state-stuck"));
    EXPECT_THAT(said(stuck + player(stuck).check()[0].remedy + "\n"), IsEmpty()) << "pasted";
    EXPECT_THAT(said(test::change(kStates, "name = \"pick\"", "name = \"pick\"\nloop = true")),
                ElementsAre("state-seam"));
    EXPECT_THAT(said(test::change(kStates, "blend = 0.5", "blend = 9")), ElementsAre("blend-long"));
    const std::string still = "start = \"stand\"\n[[state]]\nname = \"stand\"\n";
    EXPECT_THAT(said(still), ElementsAre("cue-unreached"));
}

TEST_F(StatesTest, WaysThatAreNeverTakenAreSaid) {
    const auto said = [&](const std::string& transitions) {
        std::vector<std::string> out;
        for (const Finding& f :
             player(kStates + "[[state]]\nname = \"rest\"\nclip = \"stand\"\n" + transitions)
                 .check())
            if (f.code == Code::kWayShadowed || f.code == Code::kStateUnreached)
                out.push_back(f.found);
        return out;
    };
    const std::string to_rest = "[[way]]\nfrom = \"stand\"\nto = \"rest\"\n";
    // That from stand to walk asks for less, and stands before it.
    EXPECT_THAT(
        said(to_rest + "when = [\"walking\"]\non = \"wave\"\n"),
        ElementsAre(AllOf(HasSubstr("\"stand\" to \"rest\" is never taken: that to \"walk\""),
                          HasSubstr("stands before it")),
                    "no way that can be taken leads to \"rest\""));
    EXPECT_THAT(said(to_rest + "when = [\"walking\", \"not walking\"]\n"),
                ElementsAre(HasSubstr("asks for a flag and for its opposite"), _));
    EXPECT_THAT(
        said(to_rest + "when = [\"walking\"]\npriority = 1\n"),
        ElementsAre(HasSubstr("\"stand\" to \"walk\" is never taken: that to \"rest\""), _));
    EXPECT_THAT(said(to_rest + "when = [\"not walking\"]\n"), SizeIs(0));
    // Who waits for a signal, or for the end, leaves all other moments to those behind.
    EXPECT_THAT(said(to_rest + "on = \"wave\"\n" + to_rest + "at_end = true\n" + to_rest +
                     "when = [\"not walking\"]\n"),
                SizeIs(0));
    EXPECT_THAT(said("").size(), 1U) << "no way leads to rest";
}

TEST_F(StatesTest, MistakesAreToldByTheirLine) {
    const auto wrong = [&](const std::string& from, const std::string& to, Code code,
                           const char* part) {
        EXPECT_THAT(parse_states(test::change(kStates, from, to), "s.toml"), FailsWith(code, part))
            << to;
    };
    wrong("start = \"stand\"", "start = \"stnd\"", Code::kNameUnknown, "stand");
    wrong("to = \"walk\"", "to = \"wlk\"", Code::kNameUnknown, "walk");
    wrong("when = \"walking\"", "when = \"wading\"", Code::kNameUnknown, "walking");
    wrong("on = \"pick\"", "on = \"prick\"", Code::kNameUnknown, "pick");
    wrong("blend = 0.5", "blend = -1", Code::kValueBad, "0 to 60");
    wrong("blend_shape", "blend_form", Code::kKeyUnknown, "blend_shape");
    wrong("\"pick\", \"wave\"", "\"walking\"", Code::kNameClash, "walking");
    wrong("name = \"walk\"", "name = \"stand\"", Code::kNameClash, "one name per state");
    EXPECT_THAT(StandIn::make(open_crate(crate()).value(),
                              parse_states(test::change(kStates, "name = \"walk\"",
                                                        "name = \"walk\"\nclip = \"wlak\""),
                                           "s.toml")
                                  .value()),
                FailsWith(Code::kNameUnknown, "walk"));
    const StateSheet sheet = parse_states(kStates, "s.toml").value();
    const auto script = [&](const std::string& rows) {
        return parse_events("seconds,name,value\n" + rows, "c.csv", sheet);
    };
    ASSERT_THAT(script("0.5,walking,yes\n1,pick,\n"), IsOk());
    EXPECT_TRUE(script("1,pick,\n").value()[0].signal);
    EXPECT_THAT(script("1,prick,\n"), FailsWith(Code::kNameUnknown, "c.csv:2"));
    EXPECT_THAT(script("1,walking,maybe\n"), FailsWith(Code::kCsvBroken, "yes or no"));
    EXPECT_THAT(script("1,pick,yes\n"), FailsWith(Code::kCsvBroken, "signal"));
    EXPECT_THAT(script("2,pick,\n1,pick,\n"), FailsWith(Code::kCsvBroken, "c.csv:3"));
    for (const char* when : {"-1", "-1e-9", "nan", "1e7", "1x", ""})
        EXPECT_THAT(script(std::string(when) + ",pick,\n"), FailsWith(Code::kCsvBroken, "c.csv:2"))
            << when;
    EXPECT_EQ(script("0,pick,\n").value()[0].name, "pick");
    EXPECT_THAT(script("soon,pick,\n"), FailsWith(Code::kCsvBroken, "c.csv:2"));
    EXPECT_THAT(parse_events("name\n", "c.csv", sheet), FailsWith(Code::kCsvBroken, "c.csv:1"));
}

}  // namespace
}  // namespace mellow::states_test
