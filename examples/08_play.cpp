// Plays a crate by states, as a game would: stands, walks for three seconds, picks, stands again.
// Usage: example_08_play FOLDER   (where `mellow demo --data-only` has written the orchard)
#include <cmath>
#include <cstdio>
#include <filesystem>

#include "mellow/mellow.h"

int main(int argc, char** argv) {
    using namespace mellow;
    const std::filesystem::path folder = argc > 1 ? argv[1] : "demo-out";
    auto recipe = read_recipe(folder / "tamsin.recipe.toml");
    if (!recipe) return std::fprintf(stderr, "%s\n", to_text(recipe.failure()).c_str()), 1;
    recipe.value().output = folder / "crates/played";
    recipe.value().picture = false;
    PackOptions options;
    options.replace = true;
    const auto packed = pack(recipe.value(), options);
    if (!packed) return std::fprintf(stderr, "%s\n", to_text(packed.failure()).c_str()), 1;

    const auto sheet = parse_states(R"(
        start = "stand"
        signals = ["pick"]
        flags = { walking = false }
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
        blend = 0.3
        [[way]]
        from = "walk"
        to = "stand"
        when = "not walking"
        blend = 0.3
        [[way]]
        from = "*"
        to = "pick"
        on = "pick"
        blend = 0.3
        [[way]]
        from = "pick"
        to = "stand"
        at_end = true
    )",
                                    "states");
    if (!sheet) return std::fprintf(stderr, "%s\n", to_text(sheet.failure()).c_str()), 1;
    auto game = StandIn::make(open_crate(packed.value().folder).value(), sheet.value());
    if (!game) return std::fprintf(stderr, "%s\n", to_text(game.failure()).c_str()), 1;
    for (const Finding& finding : game.value().check()) std::puts(to_text(finding).c_str());

    std::string state = sheet.value().start;
    PlayStep step;
    for (int k = 0; k < 600; ++k) {
        if (k == 60) game.value().set("walking", true);
        if (k == 240) game.value().set("walking", false);
        if (k == 300) game.value().send("pick");
        step = game.value().advance(1 / 60.0);
        if (step.state == state) continue;
        std::printf("%6.3f s  %s to %s, at %.3f m ahead\n", step.seconds, state.c_str(),
                    step.state.c_str(), step.root.z);
        state = step.state;
    }
    // Three seconds of a walk of a metre a second; the blends take a little of it.
    return state == "stand" && std::abs(step.root.z - 3) < 0.5 ? 0 : 1;
}
