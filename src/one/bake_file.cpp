#include "mellow/bake_file.h"

#include <fmt/format.h>

#include <cmath>

#include "base/at.h"
#include "base/text.h"
#include "mellow/rig.h"
#include "mellow/rig_stock.h"
#include "mellow/shape.h"
#include "mellow/stock.h"

namespace mellow {
namespace {

Status load(const std::filesystem::path& file, const BakeFileOptions& options, BakedFile& out) {
    MELLOW_TRY(ReadResult read, read_scene(file, limits_for(options.truth)));
    MELLOW_CHECK(overrule(read.scene, options.truth, read.keys_on_frames));
    out.scene = std::move(read.scene);
    out.findings = std::move(read.findings);
    if (!options.rig.empty()) {
        MELLOW_TRY(out.sheet, read_rig_sheet(options.rig));
        if (out.sheet.prefix.empty()) out.sheet.prefix = take_stock(out.scene).common_prefix;
        convert(out.sheet, Conversion(out.scene.convention, {}));
    }
    to_inside(out.scene);
    return {};
}

/// Names without their prefix, and the root.
Status settle_root(const BakeFileOptions& options, const Place& where, BakedFile& out) {
    std::vector<Joint> joints = out.skeleton.joints();
    for (Joint& joint : joints)
        if (joint.name.starts_with(options.strip_prefix))
            joint.name.erase(0, options.strip_prefix.size());
    MELLOW_TRY(out.skeleton, Skeleton::make(std::move(joints)));
    if (!options.root.empty()) MELLOW_CHECK(add_root(out.skeleton, out.sources, options.root));
    if (!options.travel.any()) return {};
    if (options.root.empty())
        return Finding{Code::kValueBad, Severity::kStop,
                       where,           "travel, and no root to carry it",
                       "a root",        "options.root = \"root\""};
    if (out.skeleton.find(options.hips) >= 0) return {};
    std::vector<std::string> names;
    for (const Joint& joint : out.skeleton.joints()) names.push_back(joint.name);
    return Finding{Code::kNameUnknown,
                   Severity::kStop,
                   where,
                   fmt::format("no joint \"{}\" whose motion the root could carry", options.hips),
                   suggest(options.hips, names),
                   "options.hips = one of them"};
}

}  // namespace

Result<BakedFile> bake_file(const std::filesystem::path& file, const BakeFileOptions& options) {
    BakedFile out;
    MELLOW_CHECK(load(file, options, out));
    if (out.scene.timelines.empty() && options.timeline.empty())
        out.scene.timelines.emplace_back().name = "rest";
    MELLOW_TRY(const int index,
               find_timeline(out.scene, options.timeline, "", Place::in(file.string())));
    const Timeline& timeline = out.scene.timelines[at(index)];
    const auto [first, last] = frames_of(timeline, out.scene.rate);
    Range range;
    range.name = timeline.name;
    range.first = options.first.value_or(first);
    range.last = options.last.value_or(last);
    range.play = options.loop ? Play::kLoop : range.last > range.first ? Play::kOnce : Play::kPose;
    range.where = Place::in(file.string()).at(fmt::format("timeline \"{}\"", timeline.name));
    MELLOW_TRY(PlannedRange planned, plan_range(range, first, last, out.scene.rate,
                                                options.rate.value_or(out.scene.rate)));
    append(out.findings, std::move(planned.findings));
    out.plan = std::move(planned.plan);
    Performance what;
    what.timeline = index;
    what.played = Played{out.plan.start(), out.plan.end(), options.loop};
    MELLOW_TRY(const Rig rig, Rig::bind(out.scene, what, out.sheet));
    MELLOW_TRY(ChosenJoints chosen, choose_joints(out.scene, options.joints, rig.driven_nodes()));
    out.skeleton = std::move(chosen.skeleton);
    out.sources = std::move(chosen.sources);
    MELLOW_CHECK(settle_root(options, Place::in(file.string()), out));
    const PoseSource poses = rig.source(take_needs(out.scene, out.skeleton, out.sources));
    const Take take = take_of(out.scene, poses, out.skeleton, out.sources);
    Baked baked = bake(take, out.plan);
    unwrap_turns(take, out.plan, baked.losses);
    if (options.travel.any())
        extract_travel(baked.clip, out.skeleton, out.skeleton.find(options.hips), options.travel);
    if (options.travel.any() && options.travel.channels) travel_channels(baked.clip, out.skeleton);
    out.clip = std::move(baked.clip);
    out.losses = std::move(baked.losses);
    return out;
}

}  // namespace mellow
