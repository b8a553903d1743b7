// Binder: what a rule needs to know of the scene and the sheet while it is bound, and what it tells
// of itself: which worlds, locals and scalars it reads and which channels it writes. The order of
// evaluation is found from that alone.
#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>

#include "mellow/result.h"
#include "mellow/rig_rules.h"
#include "mellow/rig_sheet.h"
#include "mellow/scene.h"

namespace mellow {

/// Channels of a node, as bits, so that rules for different axes of a node do not clash.
enum Part : int {
    kPositionX = 1,
    kPositionY = 2,
    kPositionZ = 4,
    kPosition = 7,
    kOrientation = 8,
    kScaleX = 16,
    kScaleY = 32,
    kScaleZ = 64,
    kScale = 112,
};

/// What is done to a node's local channels, one after the other: rules that solve it, layers on
/// top, limits, and lag last. Of one stage each channel has one writer; limits count by what they
/// limit.
enum class WriteStage { kSolve, kLayer, kLimit, kLag };

struct Write {
    int node = kNone;
    int parts = 0;
    WriteStage stage = WriteStage::kSolve;
};

/// What one rule reads and writes.
struct Ties {
    std::vector<int> worlds, locals, scalars;
    std::vector<Write> own;  ///< channels of nodes it writes, which others may have solved before
    std::vector<Write> writes;
    int writes_scalar = kNone;
    /// Earlier writers of a node it writes itself go first even within its stage (limits, layers).
    int turn = 0;
    std::string line;  ///< the rule in one line
};

class Binder {
  public:
    Binder(const Scene& scene, const RigSheet& sheet);

    const Scene& scene() const { return scene_; }
    const Affine& rest(int node) const { return rest_[static_cast<std::size_t>(node)]; }
    int parent(int node) const { return scene_.nodes[static_cast<std::size_t>(node)].parent; }
    const Transform& rest_local(int node) const {
        return scene_.nodes[static_cast<std::size_t>(node)].local;
    }
    /// Rest world of the node's parent; the identity above roots.
    Affine rest_above(int node) const {
        return parent(node) == kNone ? Affine{} : rest(parent(node));
    }

    /// Starts the ties of the next rule.
    void begin(const Place& where, std::string_view kind);
    /// The node of that name. Where there is none, that is remembered for end(), and the scene's
    /// first node stands in, so that all wrong names of a sheet are told at once.
    Result<int> node(std::string_view role, const std::string& name);
    /// The scalar of that name in the sheet, in the same way.
    Result<int> scalar(const std::string& name);
    /// Ends a rule, of which `bound` is what came of it: what follows from a wrong name is not
    /// said.
    void end(Status bound);
    /// What is wrong with the rules so far.
    const Findings& mistakes() const { return mistakes_; }
    /// The scalar that holds an amount; kNone where it is the constant 1.
    Result<int> amount(const Amount& amount);

    // What the rule at hand reads and writes. The world of kNone is the identity.
    void reads_world(int node);
    /// The world of `node` as well, and its orientation, taken once however many rules read it:
    /// four scalars of the tile, from the one returned.
    int reads_turn(int node);
    /// Those scalars by node; kNone where nothing reads the orientation.
    const std::vector<int>& turns() const { return turns_; }
    void reads_local(int node) { ties_.back().locals.push_back(node); }
    /// Channels that the rule finds in a node it writes other channels of.
    void reads_own(int node, int parts) { ties_.back().own.push_back({node, parts}); }
    void reads_scalar(int scalar) {
        if (scalar != kNone) ties_.back().scalars.push_back(scalar);
    }
    /// The rule finds the keys or rest of a node it writes, which are put there each time.
    void begins_from_keys(int node) { begins_.push_back(node); }
    const std::vector<int>& begins_from_keys() const { return begins_; }
    Status writes(int node, int parts, WriteStage stage = WriteStage::kSolve, int turn = 0);
    Status writes_scalar(int scalar, const std::string& what);
    void line(std::string text) { ties_.back().line = std::move(text); }

    /// Steps: the world of node n is step n, rule r is step nodes + r. What each step needs.
    std::vector<std::vector<int>> needs() const;
    Finding cycle_finding(const std::vector<int>& cycle) const;

    const std::vector<Ties>& ties() const { return ties_; }
    /// Rest values of all scalars: morph weights, the sheet's, constants of rules, orientations.
    const std::vector<double>& scalars() const { return scalars_; }
    int first_sheet_scalar() const { return morphs_.count; }
    const ScalarLayout& morphs() const { return morphs_; }
    const Place& where() const { return where_.back(); }
    const Place& where(std::size_t rule) const { return where_[rule]; }

  private:
    Result<int> unknown(Finding finding, int stand_in, bool there);
    /// What most names of the scene have in front, `name` among them, and no name of the sheet.
    std::string other_prefix(const std::string& name) const;
    bool misnamed() const { return misnamed_; }
    Finding clash(std::size_t first, const std::string& what) const;

    const Scene& scene_;
    const RigSheet& sheet_;
    std::vector<Affine> rest_;
    ScalarLayout morphs_;
    std::vector<double> scalars_;
    std::vector<int> turns_;
    std::vector<Ties> ties_;
    std::vector<int> begins_;
    std::vector<Place> where_;
    std::vector<std::string> kinds_;
    /// By node, part, stage and turn.
    std::map<std::tuple<int, int, WriteStage, int>, std::size_t> writer_;
    std::map<int, std::size_t> scalar_writer_;
    Findings mistakes_;
    bool misnamed_ = false;  // the rule at hand
};

/// A list of parts in words: "position", "orientation".
std::string part_words(int parts);

}  // namespace mellow
