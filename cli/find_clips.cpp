// Where clips are, and the joints of a figure as a list to begin with; declared in find_clips.h.
#include "find_clips.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "mellow/bake.h"
#include "mellow/crate.h"
#include "mellow/node_mask.h"
#include "recipe/target_table.h"
#include "scene_files.h"

namespace mellow::cli {
namespace {

namespace fs = std::filesystem;

struct Found {
    std::string clip, file, timeline;  ///< the file, and its name in there
    double seconds = 0;
};

Status look_into(const DescribeRequest& request, const std::string& file, std::vector<Found>& found,
                 std::vector<std::string>& names) {
    const auto take = [&](const std::string& name, const std::string& in, double seconds) {
        names.push_back(name);
        if (fits_pattern(request.clip, name)) found.push_back({name, in, name, seconds});
    };
    if (is_crate(file)) {
        MELLOW_TRY(const Crate crate, open_crate(file, Motions::kChecked, Parts::kOpened));
        for (std::size_t i = 0; i < crate.clips.size(); ++i)
            take(crate.clips[i].name, (fs::path(file) / crate.files[i]).generic_string(),
                 crate.clips[i].seconds());
        return {};
    }
    MELLOW_TRY(const ReadResult read, read_typed(file, request.truth));
    for (const Timeline& timeline : read.scene.timelines) {
        const auto [first, last] = key_span(timeline);
        take(timeline.name, file, std::max(0.0, last - first));
    }
    return {};
}

}  // namespace

int find_clips(const DescribeRequest& request, const std::vector<std::string>& files) {
    std::vector<Found> found;
    std::vector<std::string> names;
    for (const std::string& file : files)
        if (const Status looked = look_into(request, file, found, names); !looked) {
            if (files.size() == 1) return fail(request, looked.failures());
            print_findings(looked.failures());
        }
    if (found.empty())
        return fail(request,
                    Finding{Code::kNameUnknown, Severity::kStop, Place::in(files.front()),
                            fmt::format("no clip that fits \"{}\"", request.clip),
                            suggest(request.clip, names), "mellow describe " + files.front()});
    if (request.json) {
        print_json([&](JsonWriter& json) {
            json.list("clips", found, [&](const Found& f) {
                json.begin_object().member("clip", f.clip).member("file", f.file);
                json.member("timeline", f.timeline).member("seconds", f.seconds).end_object();
            });
        });
        return kDone;
    }
    std::size_t width = 0;
    for (const Found& f : found) width = std::max(width, f.clip.size());
    std::string text;
    for (const Found& f : found)
        text += fmt::format("{:{}}  {:8.3f} s  {}\n", f.clip, width, f.seconds, f.file);
    if (!request.quiet) print_out(text);
    return kDone;
}

int list_joints(const DescribeRequest& request, const std::string& file) {
    JointList list;
    const auto take = [&](const Skeleton& skeleton) {
        for (const Joint& joint : skeleton.joints())
            list.joints.push_back({joint.name, joint.parent, {}});
    };
    if (is_crate(file)) {
        const auto crate = open_crate(file, Motions::kChecked, Parts::kOpened);
        if (!crate) return fail(request, crate.failures());
        const auto chosen = choose_joints(crate.value().skin, {});
        if (!chosen) return fail(request, chosen.failures());
        take(chosen.value().skeleton);
    } else {
        const auto read = read_typed(file, request.truth);
        if (!read) return fail(request, read.failures());
        const auto chosen = choose_joints(read.value().scene, {});
        if (!chosen) return fail(request, chosen.failures());
        take(chosen.value().skeleton);
    }
    print_out(fmt::format("# Joints of {}, as a target's joint list (joints = \"FILE\"): take out, "
                          "rename or move what the engine has otherwise.\n",
                          fs::path(file).filename().string()) +
              joint_list_text(list));
    return kDone;
}

}  // namespace mellow::cli
