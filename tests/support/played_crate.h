// A crate with three clips, and a sheet of states that plays them.
#pragma once

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "mellow/play.h"
#include "packing.h"
#include "small_figure.h"
#include "support.h"

namespace mellow::test::played {

using nlohmann::json;
using namespace testing;

inline const std::string kStates = R"(start = "stand"
signals = ["pick", "wave"]
[flags]
walking = false
[[state]]
name = "stand"
[[state]]
name = "walk"
[[state]]
name = "pick"
[[way]]
from = "stand"
to = "walk"
when = "walking"
[[way]]
from = "walk"
to = "stand"
when = "not walking"
at_end = true
[[way]]
from = "*"
to = "pick"
on = "pick"
priority = 1
blend = 0.5
blend_shape = "linear"
[[way]]
from = "pick"
to = "stand"
at_end = true
)";

/// Tamsin's crate, packed once for all tests: stand (a loop), walk (a loop that travels), pick.
class PlayedCrate : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        folder() = std::make_unique<TempFolder>();
        test::write_files(folder()->path(), test::tamsin());
        const std::string recipe =
            test::change(read_text(*folder() / "tamsin.recipe.toml"), "[[clip]]\nname = \"walk\"",
                         "[[cue]]\nname = \"left\"\nat = 108\n[[cue]]\nname "
                         "= \"right\"\nat = 120\nto = 126\njoint = "
                         "\"foot.R\"\n[[clip]]\nname = \"walk\"");
        ASSERT_THAT(test::pack_text(*folder(), recipe, true), IsOk());
    }
    static void TearDownTestSuite() { folder().reset(); }
    static std::unique_ptr<TempFolder>& folder() {
        static std::unique_ptr<TempFolder> made;
        return made;
    }
    static std::filesystem::path crate() { return *folder() / "crates/tamsin"; }

    static StandIn player(const std::string& states = kStates) {
        static const Crate opened = open_crate(crate()).value();
        const auto sheet = parse_states(states, "s.toml");
        EXPECT_THAT(sheet, IsOk());
        auto made = StandIn::make(opened, sheet.value());
        EXPECT_THAT(made, IsOk());
        return std::move(made).value();
    }
    static std::map<std::string, test::PlainNode> file(const std::string& clip, int sample) {
        return plain_gltf_worlds(read_text(crate() / ("clips/" + clip + ".glb")), clip, sample);
    }
    static Vec3 place(const StandIn& player, const std::string& joint) {
        for (std::size_t j = 0; j < player.joints().size(); ++j)
            if (player.joints()[j] == joint) return player.worlds()[j].o;
        ADD_FAILURE() << joint;
        return {};
    }
};

}  // namespace mellow::test::played
