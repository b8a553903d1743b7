// A small stand-in for a game engine: it knows nothing but the files of a crate, and plays its
// clips by states (states.h).
//
// Joints are matched by name. Places are mixed along straight lines and turns along arcs, between
// the samples of a clip as well as between clips. What the root travels is added up step by step,
// loops go on by their period. The same calls give the same numbers. Everything is in the inside
// convention (+Y up, metres); the tool prints the crate's. A StandIn is of one thread.
#pragma once

#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "mellow/crate.h"
#include "mellow/states.h"

namespace mellow {

/// A cue that was passed; of a span its beginning or its end.
struct FiredCue {
    std::string name, joint;
    bool ends = false;

    bool operator==(const FiredCue&) const = default;
};

/// Where everything stands at the end of a step, and what happened in it.
struct PlayStep {
    double seconds = 0;
    std::string state;
    double state_seconds = 0;  ///< of its clip
    int rounds = 0;            ///< how often that began again
    bool began = false;        ///< it began in this step, perhaps anew
    /// What is mixed, the oldest first: states and their weights, which sum to 1.
    std::vector<std::pair<std::string, double>> mix;
    Vec3 root;               ///< its ground place, and height where clips carry it
    double heading_rad = 0;  ///< about up, from where it began, counter-clockwise from above
    std::vector<FiredCue> cues;
    std::vector<std::string> unheard;  ///< signals that no way from here listens to
};

/// A stand-in for a game: it plays a crate by states, a step at a time.
class StandIn {
  public:
    /// Takes the clips that the sheet needs from the crate. Fails with name-unknown for a state
    /// whose clip the crate does not have.
    static Result<StandIn> make(const Crate& crate, const StateSheet& sheet);
    StandIn(StandIn&&) noexcept;
    StandIn& operator=(StandIn&&) noexcept;
    ~StandIn();

    /// What will not work as it seems to: ways that nothing holds back, states that nothing reaches
    /// or nothing leaves, loops with a seam, blends longer than their clips, cues in no state.
    Findings check() const;

    /// A flag or signal of the sheet; others do nothing. A signal counts in the next step, and is
    /// kept for as long as a way from the state that plays waits for the end of its clip or for a
    /// flag.
    void set(const std::string& flag, bool value);
    /// The same for a signal.
    void send(const std::string& signal);
    /// Time goes on by `seconds`, 0 or more.
    PlayStep advance(double seconds);

    /// Joints of the skin, and where they are now.
    const std::vector<std::string>& joints() const;
    /// World matrices in the same order, inside.
    const std::vector<Affine>& worlds() const;

  private:
    struct Parts;
    explicit StandIn(std::unique_ptr<Parts> parts);
    std::unique_ptr<Parts> parts_;
};

/// Plays a list of events, one step every 1 / `rate` seconds, up to `seconds`.
std::vector<PlayStep> play_events(StandIn& player, const std::vector<PlayEvent>& events,
                                  double seconds, double rate);

}  // namespace mellow
