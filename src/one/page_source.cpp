// A crate and its source on one page: where the rig has each joint, sample by sample.
#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/at.h"
#include "base/text.h"
#include "crate/file_names.h"
#include "mellow/page.h"
#include "mellow/recipe.h"
#include "model/lanes.h"
#include "pack/pack_clip.h"

namespace mellow {
namespace {

/// Origins of the joints at every sample of a take.
std::vector<float> places_of(const Take& take, const SamplePlan& plan,
                             const std::vector<int>& joints) {
    std::vector<float> out;
    JointTile tile = take.make_tile();
    for (int first = 0; first < plan.samples; first += kTileFrames) {
        std::array<double, kTileFrames> seconds{};
        const int count = std::min(kTileFrames, plan.samples - first);
        for (int f = 0; f < count; ++f) seconds[at(f)] = plan.second(first + f);
        take.evaluate({seconds.data(), at(count)}, Take::Want::kWorlds, tile);
        for (int f = 0; f < count; ++f)
            for (const int j : joints) {
                const Vec3 place = load(world_rows(tile, j), f).o;
                for (const double x : {place.x, place.y, place.z})
                    out.push_back(static_cast<float>(x));
            }
    }
    return out;
}

}  // namespace

Status add_recipe(Page& page, const std::filesystem::path& path, const std::string& match) {
    MELLOW_TRY(const Recipe recipe, read_recipe(path));
    const Target& target = recipe.target();
    const std::filesystem::path folder = output_of(recipe, target);
    std::error_code error;
    if (!std::filesystem::exists(folder / kManifestFile, error))
        return Finding{Code::kFileMissing,
                       Severity::kStop,
                       Place::in(folder.string()),
                       "no crate of this recipe yet",
                       "the crate, to be shown beside its source",
                       "pack it",
                       {},
                       {{Call::Job::kPack, path.string()}}};
    MELLOW_CHECK(add_crate(page, folder, match));
    PageFigure& figure = page.figures.back();
    MELLOW_TRY(const std::unique_ptr<Jobs> jobs, Jobs::read(recipe));
    const Skeleton& skeleton = jobs->figure().skeleton();
    std::vector<int> joints;
    // A root that was added rests in the source.
    for (int j = 0; j < skeleton.size(); ++j)
        if (jobs->figure().sources()[at(j)].node != kNone) {
            joints.push_back(j);
            figure.source_joints.push_back(skeleton[j].name);
        }
    for (PageClip& clip : figure.clips)
        for (std::size_t i = 0; i < jobs->clips().size(); ++i) {
            if (jobs->clips()[i].clip.range.name != clip.name) continue;
            MELLOW_TRY(const BakedClip bound, bind_clip(recipe, *jobs, i, target, {}));
            clip.source = places_of(bound.take, bound.range->plan, joints);
        }
    return {};
}

}  // namespace mellow
