// States: which clip a game plays when. A sheet names states, each with a clip, and the ways
// between them: when they are taken, and over how many seconds one clip goes over into the next.
//
// It is a made-up game's side of a crate, for trying clips as they will be used: nothing of it is
// packed. docs/states.md has every key and the order in which ways are looked at. Reading and
// checking share nothing between calls and may run on several threads.
#pragma once

#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "mellow/place.h"
#include "mellow/result.h"
#include "mellow/value_curve.h"

namespace mellow {

/// A clip that plays while the state lasts.
struct State {
    std::string name, clip;
    double speed = 1;  ///< times that of the clip; below 0 backwards
    /// Whether it begins again at its end.
    enum class Loop { kAsClip, kYes, kNo } loop = Loop::kAsClip;
    Place where;  ///< for messages
};

/// From a state to another.
struct Transition {
    std::string from, to;                            ///< "*": from any
    std::vector<std::pair<std::string, bool>> when;  ///< flags, and what they must be
    std::string on;                                  ///< a signal; empty: none is needed
    bool at_end = false;                             ///< only when the clip of `from` ends
    double blend = 0;                                ///< seconds
    CurveShape shape = CurveShape::kSmooth;          ///< of the blend
    double priority = 0;                             ///< higher ones are looked at first
    bool restart = false;  ///< `to` begins again where it is playing already; else nothing happens
    Place where;
};

/// A sheet of states, as it was read.
struct StateSheet {
    std::string file, start;                          ///< name of the first state
    std::vector<std::pair<std::string, bool>> flags;  ///< and what they are at first
    std::vector<std::string> signals;
    std::vector<State> states;
    std::vector<Transition> transitions;

    /// Index of a state, or -1.
    int find(std::string_view name) const;
};

/// Reads a sheet from its text. Fails with toml-broken, or with all mistakes at once: key-unknown,
/// key-missing, value-bad, name-clash, name-unknown, each with its line.
Result<StateSheet> parse_states(std::string_view text, const std::string& file);

/// Something that happens to the flags and signals.
struct PlayEvent {
    double seconds = 0;
    std::string name;  ///< of a flag or a signal
    bool signal = false;
    bool value = false;  ///< of a flag
};

/// Reads a table of events: a first line "seconds,name,value", then rows whose value is yes or no
/// for a flag and empty for a signal; seconds do not fall. Fails with csv-broken or name-unknown
/// and the line.
Result<std::vector<PlayEvent>> parse_events(std::string_view text, const std::string& file,
                                            const StateSheet& sheet);

}  // namespace mellow
