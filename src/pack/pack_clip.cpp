#include "pack/pack_clip.h"

#include "base/at.h"
#include "crate/hash.h"
#include "mellow/fit.h"
#include "mellow/read.h"
#include "mellow/travel.h"
#include "mellow/write.h"
#include "pack/clip_json.h"
#include "pack/clip_judge.h"
#include "pack/clip_record.h"
#include "pack/inputs.h"

namespace mellow {
namespace {

void add_kind(std::string& words, const std::string& kind) {
    if (words.find(kind) == words.npos) words += (words.empty() ? "" : " + ") + kind;
}

/// What drives each joint: the kinds of the rules on it and on the helpers that fold into it,
/// "follow + lag".
std::vector<std::string> driven_by(const Scene& scene, const JointSources& sources,
                                   const Rig& rig) {
    std::vector<std::vector<std::string>> kinds(scene.nodes.size());
    for (const RigStep& step : rig.steps())
        for (const int node : step.nodes) kinds[at(node)].push_back(step.kind);
    std::vector<bool> joint(scene.nodes.size(), false);
    for (const JointSource& s : sources)
        if (s.node != kNone) joint[at(s.node)] = true;
    std::vector<std::string> out(sources.size());
    for (std::size_t j = 0; j < sources.size(); ++j) {
        int up = sources[j].node;
        while (up != kNone) {
            for (const std::string& kind : kinds[at(up)]) add_kind(out[j], kind);
            up = scene.nodes[at(up)].parent;
            if (up != kNone && joint[at(up)]) break;
        }
    }
    return out;
}

/// Samples are in the file; what stays is what the report tells.
Clip without_samples(Clip clip, Clip& memory) {
    memory.joints = std::move(clip.joints);
    clip.joints = {};
    // Not "= {}", which would keep the room.
    for (MorphTrack& track : clip.morphs) track.weights = std::vector<float>();
    for (ScalarTrack& track : clip.scalars) track.values = std::vector<float>();
    return clip;
}

}  // namespace

Result<FileRecord> write_scene(StagedFolder& folder, const Recipe& recipe, Scene scene,
                               const std::string& role, const std::string& file) {
    convert(scene, recipe.target_convention);
    const auto bytes = write_glb(scene);
    MELLOW_CHECK(folder.write(file, bytes));
    return FileRecord{role, file, bytes.size(), hash_hex(bytes)};
}

Result<Scene> read_back(const StagedFolder& folder, const Recipe& recipe, const std::string& file) {
    MELLOW_TRY(ReadResult read, read_scene(folder.path() / file));
    read.scene.convention = recipe.target_convention;
    to_inside(read.scene);
    read.scene.rate = recipe.rate;
    snap_keys(read.scene);
    return std::move(read.scene);
}

Result<ClipResult> pack_clip(const CrateInProgress& crate, const ClipJob& job, Clip memory) {
    const Recipe& recipe = crate.recipe;
    const Figure& figure = crate.jobs.figure();
    const std::string inputs = clip_inputs(recipe, crate.jobs, job, crate.report);
    if (crate.standing != nullptr)
        if (auto have = crate.standing->clip(job.clip.range.name, inputs, job.clip.range.where)) {
            MELLOW_CHECK(crate.folder.write(have->packed.file.file, have->bytes));
            return ClipResult{std::move(have->packed), {}, std::move(memory)};
        }
    MELLOW_TRY(const std::shared_ptr<const FigureMotion> motion, crate.jobs.motion(job.motion));
    MELLOW_TRY(Rig bound, Rig::bind(*motion->scene, job.what, *motion->sheet));
    const auto rig = std::make_shared<const Rig>(std::move(bound));
    const Take take = motion->take(figure, rig, crate.skin_proof.mounts());
    ClipResult out;
    PackedClip& packed = out.packed;
    packed.inputs = inputs;
    packed.where = job.clip.range.where;
    packed.shared = job.range.findings;
    append(packed.shared, rig->findings());
    packed.plan = job.range.plan;
    packed.timeline = job.moved_by;
    packed.motion = motion->own ? "" : motion->file;
    Baked baked = bake(take, packed.plan, std::move(memory));
    unwrap_turns(take, packed.plan, baked.losses);
    Clip& clip = baked.clip;
    extract_travel(clip, figure.skeleton(), figure.hips(), job.clip.travel);
    packed.gap = loop_gap(clip);
    packed.findings = judge_baked(recipe, figure, job, baked, packed);
    if (clip.loop == LoopForm::kClosed && recipe.loop_form == LoopForm::kOpen) open_loop(clip);
    const Conversion to_target({}, recipe.target_convention);
    MELLOW_TRY(packed.file,
               write_scene(crate.folder, recipe,
                           assemble_clip(figure.skeleton(), clip, clip_extras(clip, to_target)),
                           "clip", "clips/" + clip.name + ".glb"));
    packed.clip = without_samples(std::move(clip), out.memory);
    MELLOW_TRY(out.motion, read_back(crate.folder, recipe, packed.file.file));
    auto proof = prove_clip(take, packed.plan, crate.skin_proof, out.motion,
                            driven_by(*motion->scene, motion->sources, *rig));
    const Status good = proof ? within(proof.value(), recipe.tolerance) : Status(proof.failures());
    if (proof) packed.proof = std::move(proof).value();
    packed.passed = good.ok();
    append(packed.findings, judge_proof(recipe, figure, packed, good));
    packed = settled(packed, recipe.target_convention);
    return out;
}

}  // namespace mellow
