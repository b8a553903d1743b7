// The rows of numbers of a BVH file, made into curves.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include "mellow/scene.h"

namespace mellow {

struct BvhChannel {
    enum Kind { kX, kY, kZ, kTurnX, kTurnY, kTurnZ };
    int node;
    Kind kind;
};

/// Fills one timeline of `scene`: a translation curve for every node with position channels, a
/// rotation curve for every node with rotation channels, a key per frame.
class BvhMotion {
  public:
    BvhMotion(Scene& scene, const std::vector<BvhChannel>& channels);

    /// Reads text of one line per frame, several lines at a time on several threads. The number of
    /// frames; nothing when a line has another number of numbers, or something else: then the text
    /// must be read word by word, for the place of what is wrong.
    std::optional<std::size_t> read_lines(std::string_view text);
    /// Stores `rows` rows from a frame on. Quaternions keep to the hemisphere of the frame before,
    /// where `continues`.
    void store(std::size_t frame, std::size_t rows, const double* numbers, bool continues);
    /// Key times; the timeline goes into the scene.
    void finish(std::size_t frames);

  private:
    struct Part {
        int channel;  ///< of the timeline
        int node;
        std::vector<std::size_t> columns;  ///< in the order of the file
    };
    void make_room(std::size_t frames);
    bool read_block(std::string_view text, std::size_t frame, std::size_t rows, bool continues);
    void store_places(const Part& part, std::size_t frame, std::size_t rows, const double* numbers);
    void store_turns(const Part& part, std::size_t frame, std::size_t rows, const double* sines,
                     const double* cosines, bool continues);

    Scene& scene_;
    const std::vector<BvhChannel>& channels_;
    Timeline timeline_;
    std::vector<Part> places_, turns_;
    std::size_t room_ = 0;
};

}  // namespace mellow
