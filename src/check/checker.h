// What is checked of each file of a target: skins, clips, names.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "crate/stored_file.h"
#include "mellow/check.h"
#include "mellow/clip.h"
#include "mellow/scene.h"

namespace mellow {

/// What a manifest says of a clip, where there is one.
struct ListedClip {
    std::string name;
    ClipInfo facts;
};

class Checker {
  public:
    Checker(const Target& target, CheckReport& report) : target_(target), report_(report) {}

    void skin(const CheckedFile& file);
    /// `skin`: the joints that it must have; nullptr where there is none. `listed`: what is said of
    /// the clips in it.
    void motion(const CheckedFile& file, const Scene* skin, const std::vector<ListedClip>& listed);
    /// What a file that holds both skin and motion must be.
    void name(const std::string& file, const std::string& pattern);
    void layout(std::size_t skins, std::size_t motions, std::size_t both);
    void choice(const std::vector<ListedClip>& listed);
    void ids(const std::vector<ListedClip>& listed);
    /// Which way all clips together travel, by what is said of them.
    void travel(const std::vector<ListedClip>& listed);
    void reads(const CheckedFile& file);
    void demand(const char* id, const std::string& file, std::string wanted, std::string found,
                bool met, std::string remedy = {}, std::vector<Call> calls = {});

  private:
    /// A conversion of the file into one beside it, which asks for this.
    std::vector<Call> convert(const CheckedFile& file, FileFormat into,
                              std::vector<Call::Asked> asked = {}) const;
    void convention(const CheckedFile& file);
    void format(const CheckedFile& file, FileFormat wanted);
    void measured(const CheckedFile& file, const Scene& inside);
    void joints(const CheckedFile& file, const std::vector<int>& joints);
    void vertices(const CheckedFile& file);
    void winding(const CheckedFile& file, const Scene& inside);
    void timeline(const CheckedFile& file, const Timeline& timeline, const ListedClip* listed);
    void grid(const CheckedFile& file, const std::string& what, const Timeline& timeline);
    void same_joints(const CheckedFile& file, const Scene& skin);
    void ends(const CheckedFile& file, const std::string& what, const Timeline& timeline,
              LoopForm loop);
    /// One animation on the joints of its file, inside.
    Scene inside_alone(const CheckedFile& file, const Timeline& timeline) const;
    /// What the root carries, and which way the clip begins.
    void root(const CheckedFile& file, const std::string& what, const Timeline& timeline,
              const std::string& group);

    const Target& target_;
    CheckReport& report_;
};

/// Joint nodes of a scene: those of its skins in their order, else all without a mesh.
std::vector<int> joints_of(const Scene& scene);

}  // namespace mellow
