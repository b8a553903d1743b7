// Shared helpers of the tests: temporary folders, running the tool, tiny files, matchers.
#pragma once

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "mellow/bake.h"
#include "mellow/prove.h"
#include "mellow/read.h"
#include "mellow/result.h"
#include "mellow/scene.h"
#include "this_build.h"

namespace mellow::test {

/// A folder of its own that disappears with the object.
class TempFolder {
  public:
    TempFolder();
    ~TempFolder();
    std::filesystem::path operator/(const std::string& name) const { return path_ / name; }
    const std::filesystem::path& path() const { return path_; }
    /// Names of everything in it, sorted.
    std::vector<std::string> names() const;

  private:
    std::filesystem::path path_;
};

void write_text(const std::filesystem::path& path, const std::string& text);
std::string read_text(const std::filesystem::path& path);

/// Proves a clip file of a scene under `poses` against its skin file.
Result<ClipProof> prove(const Scene& scene, const PoseSource& poses, const SamplePlan& plan,
                        const ChosenJoints& joints, const Scene& skin, const Scene& clip,
                        const std::vector<bool>* accepted = nullptr);

struct ToolRun {
    int exit = -1;
    std::string out, err;
};
/// Fails where findings have another severity than their code may have: one table for all of them,
/// in support.cpp. Not for recipes whose [checks] judge otherwise.
void expect_usual_severities(const Findings& findings);

/// Runs the built tool, and looks at the severities of what it says. `arguments` go through the
/// shell; `before` is put in front of the command; `judged`: severities may be others.
ToolRun run_tool(const std::string& arguments, const std::string& before = "", bool judged = false);

/// All of them as text, a line after each.
inline std::string text_of(const Findings& findings) {
    std::string text;
    for (const Finding& f : findings) text += to_text(f) + "\n";
    return text;
}

/// True when a Result or Status is a success; prints the finding otherwise.
MATCHER(IsOk, "is a success") {
    if (!arg.ok()) *result_listener << to_text(arg.failure());
    return arg.ok();
}
/// True for a failure with this code whose text contains `part`.
MATCHER_P2(FailsWith, code, part, "") {
    if (arg.ok()) {
        *result_listener << "which is a success";
        return false;
    }
    *result_listener << to_text(arg.failure());
    return arg.failure().code == code && to_text(arg.failure()).find(part) != std::string::npos;
}

/// Largest difference of two affine matrices, member by member.
double difference(const Affine& a, const Affine& b);

std::string base64(const std::vector<unsigned char>& bytes);

/// A binary chunk under construction, and the glTF text around it.
class TinyGltf {
  public:
    /// Appends numbers as single precision and returns the index of their accessor.
    int floats(const std::vector<double>& values, const std::string& type);
    int bytes(const std::vector<int>& values, const std::string& type, int component_type,
              bool normalized);
    /// The GLB of `members`, the top-level JSON members beside asset, buffers, views and accessors.
    std::vector<std::uint8_t> glb(const std::string& members) const;

  private:
    int add(const std::vector<std::uint8_t>& data, std::size_t count, const std::string& type,
            int component_type, bool normalized);
    std::vector<std::uint8_t> bin_;
    std::string views_, accessors_;
    int count_ = 0;
};

/// Reads glTF from memory; files beside it do not exist.
Result<ReadResult> read_tiny(const std::vector<std::uint8_t>& bytes, const ReadLimits& limits = {});
/// JSON text as bytes.
std::vector<std::uint8_t> text_bytes(const std::string& text);

/// A scene of a chain of nodes along +Y, each `length` above the one before, named n0, n1, ...
Scene chain_scene(int nodes, double length);

/// Calls `check` with every proper prefix of `bytes`, each in memory of its exact size.
void for_each_truncation(const std::vector<std::uint8_t>& bytes,
                         const std::function<void(const std::vector<std::uint8_t>&)>& check);
/// Calls `check` with `bytes` with single bits flipped: all of the first 256 bytes, then one of
/// each, another from byte to byte. Fuzzers flip the rest.
void for_each_bit_flip(const std::vector<std::uint8_t>& bytes,
                       const std::function<void(const std::vector<std::uint8_t>&)>& check);

}  // namespace mellow::test
