// What a scene file holds beside joints and motion: morph targets, cameras, props, cues.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/json_writer.h"
#include "mellow/clip.h"
#include "mellow/scene.h"

namespace mellow::cli {

/// Names as the file has them.
struct StockContents {
    struct Morphs {
        std::string mesh;
        std::vector<std::string> targets;
    };
    struct Camera {
        std::string name;
        std::optional<double> fov_degrees;  ///< vertical; none of orthographic ones
    };
    struct Prop {
        std::string mesh, on;  ///< without skin, on or below this joint
    };
    struct CueAt {
        Cue cue;  ///< seconds of the timeline
        std::string timeline;
    };
    std::vector<Morphs> morphs;
    std::vector<Camera> cameras;
    std::vector<Prop> props;
    std::vector<CueAt> cues;
};

StockContents contents_of(const Scene& scene);
/// A line for each kind that there is.
std::string contents_text(const StockContents& contents);
/// Members `morphs`, `cameras`, `props` and `cues` of the object that is open.
void write_contents(JsonWriter& json, const StockContents& contents);

}  // namespace mellow::cli
