#include "mellow/convert_file.h"

#include <fmt/format.h>

#include <cmath>
#include <set>

#include "base/text.h"
#include "crate/scene_parts.h"
#include "disk/json_members.h"
#include "mellow/bake.h"
#include "mellow/read.h"
#include "mellow/rig.h"
#include "mellow/safe_write.h"
#include "mellow/shape.h"
#include "mellow/write.h"

namespace mellow {
namespace {

Finding bad(Place where, std::string found, std::string expected, std::string remedy = {},
            std::vector<Call> calls = {}) {
    return {Code::kValueBad,
            Severity::kStop,
            std::move(where),
            std::move(found),
            std::move(expected),
            std::move(remedy),
            {},
            std::move(calls)};
}

class FileConverter {
  public:
    FileConverter(Scene scene, const std::filesystem::path& output, const ConvertOptions& options)
        : scene_(std::move(scene)), output_(output), options_(options) {}

    Result<ConvertReport> run() {
        target_ = options_.target;
        if (!is_valid(target_))
            return bad("target", to_text(target_), "up and front along two lines, a unit above 0");
        to_inside(scene_);
        MELLOW_CHECK(choose_timeline());
        MELLOW_CHECK(check_orders());
        const std::string ending = output_.extension().string();
        std::vector<WrittenFile> files;
        if (ending == ".bvh") {
            MELLOW_TRY(files, bvh());
        } else if (ending == ".glb" || ending == ".gltf" || ending == ".dae") {
            MELLOW_TRY(files, scene_files(ending));
        } else {
            return bad(Place::in(output_.string()), "the ending \"" + ending + "\"",
                       ".glb, .gltf, .dae or .bvh", "the ending of the output chooses its format");
        }
        MELLOW_CHECK(write(files));
        return std::move(report_);
    }

  private:
    Status choose_timeline() {
        if (options_.timeline.empty()) return {};
        std::vector<std::string> names;
        for (Timeline& t : scene_.timelines) {
            names.push_back(t.name);
            if (t.name != options_.timeline) continue;
            Timeline chosen = std::move(t);
            scene_.timelines.clear();
            scene_.timelines.push_back(std::move(chosen));
            return {};
        }
        return Finding{Code::kNameUnknown,
                       Severity::kStop,
                       "timeline",
                       "\"" + options_.timeline + "\"",
                       suggest(options_.timeline, names),
                       "correct the name"};
    }

    Status check_orders() {
        std::vector<std::string> names;
        for (const Node& node : scene_.nodes) names.push_back(node.name);
        for (const auto& [name, order] : options_.orders)
            if (find_node(scene_, name) == kNone)
                return Finding{Code::kNameUnknown,   Severity::kStop,
                               "rotation order",     fmt::format("no node \"{}\"", name),
                               suggest(name, names), "correct the name"};
        return {};
    }

    /// Samples of one timeline: the asked range or all of it, at the asked rate or the source's.
    Result<SamplePlan> plan(const Timeline& timeline) {
        auto [first, last] = frames_of(timeline, scene_.rate);
        first = std::min<std::int64_t>(first, 0);  // what holds before the first key stays
        const Range range{timeline.name, options_.first.value_or(first),
                          options_.last.value_or(last), Play::kOnce,
                          Place::of(fmt::format("timeline \"{}\"", timeline.name))};
        MELLOW_TRY(const PlannedRange planned, plan_range(range, first, last, scene_.rate,
                                                          options_.rate.value_or(scene_.rate)));
        constexpr int kMostSamples = 2'000'000;
        if (planned.plan.samples > kMostSamples)
            return Finding{Code::kLimit,
                           Severity::kStop,
                           range.where,
                           fmt::format("{} samples", planned.plan.samples),
                           fmt::format("at most {}", kMostSamples),
                           "a shorter range, or a lower rate",
                           {},
                           {again({{Call::Option::kRange}, {Call::Option::kToRate}})}};
        report_.findings.insert(report_.findings.end(), planned.findings.begin(),
                                planned.findings.end());
        return planned.plan;
    }

    /// Shear that the format cannot hold: glTF where a node is animated, COLLADA where it changes
    /// and is not written as matrices.
    void note_shear(bool gltf, bool matrices) {
        std::vector<bool> moved(scene_.nodes.size(), false), lost = moved;
        for (const Timeline& timeline : scene_.timelines) {
            for (const Channel& c : timeline.channels)
                moved[static_cast<std::size_t>(c.node)] = true;
            for (const ShearCurve& c : timeline.shears)
                lost[static_cast<std::size_t>(c.node)] = gltf || !matrices;
        }
        std::vector<std::string> names;
        for (std::size_t n = 0; n < lost.size(); ++n)
            if (lost[n] || (gltf && moved[n] && scene_.nodes[n].shear))
                names.push_back(scene_.nodes[n].name);
        if (!names.empty())
            report_.findings.push_back(
                {Code::kShear,
                 Severity::kWarning,
                 "nodes",
                 fmt::format("shear that is lost: nodes that move have it: {}", name_list(names)),
                 "translation, rotation and scale",
                 gltf ? "scale evenly in the source; or COLLADA with matrices, which holds it"
                      : "matrices, which hold it",
                 {},
                 {again({{Call::Option::kMatrices}})}});
    }

    /// What a packed clip says of itself, which only glTF has a place for.
    void note_facts(const char* format) {
        std::set<std::string> lost;
        for (const Timeline& timeline : scene_.timelines) {
            if (timeline.extras.empty()) continue;
            JsonMembers facts(Bytes(timeline.extras.begin(), timeline.extras.end()));
            for (const char* fact :
                 {"loop", "play", "speed", "tags", "cues", "travel", "group", "id"})
                if (facts.has(fact)) lost.insert(fact);
        }
        if (lost.empty()) return;
        report_.findings.push_back({Code::kLeftOut, Severity::kWarning, Place::in(output_.string()),
                                    "facts of clips: " + name_list({lost.begin(), lost.end()}),
                                    fmt::format("motion: {} has no place for them", format),
                                    "write glTF to keep them"});
    }

    /// An animation needs a channel (glTF 2.0, 5.5): weights of meshes in another file alone are
    /// none.
    void note_lonely_weights(const std::string& ending) {
        if (ending == ".dae") return;
        std::vector<std::string> lost;
        std::erase_if(scene_.timelines, [&](const Timeline& t) {
            const bool lonely = t.channels.empty() && t.members.empty();
            if (lonely && (!t.morphs.empty() || !t.scalars.empty())) lost.push_back(t.name);
            return lonely;
        });
        if (!lost.empty())
            report_.findings.push_back(
                {Code::kLeftOut,
                 Severity::kWarning,
                 Place::in(output_.string()),
                 "animations that move no node, but weights or scalars: " + name_list(lost),
                 "a node that moves",
                 "whole scenes, which keep weights on their meshes",
                 {},
                 {again({{Call::Option::kParts, "all"}})}});
    }

    Result<std::vector<WrittenFile>> scene_files(const std::string& ending) {
        std::vector<SamplePlan> plans;
        if (options_.rate || options_.first)
            for (const Timeline& timeline : scene_.timelines) {
                MELLOW_TRY(plans.emplace_back(), plan(timeline));
            }
        add(compose_stacks(scene_));
        for (std::size_t t = 0; t < plans.size(); ++t) resample(scene_.timelines[t], plans[t]);
        if (!plans.empty()) scene_.rate = plans[0].rate;
        if (options_.parts != SceneParts::kAll) keep_parts(scene_, options_.parts);
        const bool binary = ending == ".glb";
        const Textures textures =
            options_.textures.value_or(binary ? Textures::kEmbedded : Textures::kBeside);
        if (textures == Textures::kLeftOut) add(drop_textures(scene_));
        note_shear(ending != ".dae", options_.matrices);
        if (ending == ".dae") note_facts("COLLADA");
        note_lonely_weights(ending);
        convert(scene_, target_);
        const std::string name = output_.stem().string();
        if (ending != ".dae") {
            free_skinned_meshes(scene_);
            add(join_roots(scene_));
            return write_gltf(scene_, name, {binary, textures == Textures::kBeside});
        }
        if (textures == Textures::kEmbedded && !scene_.images.empty())
            return bad("textures", "embedded", "beside or none: COLLADA refers to pictures",
                       "pictures beside it", {again({{Call::Option::kTextures, "beside"}})});
        MELLOW_TRY(WrittenScene dae,
                   write_collada(scene_, name,
                                 {options_.order, options_.orders, options_.matrices, true}));
        add(std::move(dae.findings));
        return std::move(dae.files);
    }

    void add(Findings findings) {
        for (Finding& f : findings) report_.findings.push_back(std::move(f));
    }

    static void resample(Timeline& timeline, const SamplePlan& samples) {
        std::vector<double> from, to;
        for (int k = 0; k < samples.samples; ++k) {
            from.push_back(samples.second(k));
            to.push_back(samples.rate.seconds(k));
        }
        const auto change = [&](Curve& curve, bool rotation) {
            Curve sampled{Interpolation::kLinear, curve.width, to, {}};
            sampled.values.edit().resize(to.size() * static_cast<std::size_t>(curve.width));
            sample(curve, rotation, from, sampled.values.edit().data());
            curve = std::move(sampled);
        };
        for (Channel& channel : timeline.channels)
            change(channel.curve, channel.path == Path::kRotation);
        for (MorphCurve& morph : timeline.morphs) change(morph.curve, false);
    }

    /// A motion that only controls have would stand still: that wants a rig sheet, and packing.
    Status check_moves(const Baked& baked, const Skeleton& skeleton) const {
        const auto changes = [](const std::vector<float>& v, std::size_t width) {
            for (std::size_t i = width; i < v.size(); ++i)
                if (std::abs(v[i] - v[i - width]) > 1e-6F) return true;
            return false;
        };
        for (const JointTrack& t : baked.clip.joints)
            if (changes(t.translation, 3) || changes(t.rotation, 4) || changes(t.scale, 3))
                return {};
        std::set<int> keyed;
        for (const Channel& c : scene_.timelines[0].channels)
            if (skeleton.find(scene_.nodes[static_cast<std::size_t>(c.node)].name) < 0)
                keyed.insert(c.node);
        if (baked.clip.samples < 2 || keyed.empty()) return {};
        return Finding{Code::kUnbaked,
                       Severity::kStop,
                       Place::in(output_.string()),
                       fmt::format("no joint moves, while {} other nodes have keys", keyed.size()),
                       "motion on the joints",
                       "pack it with a rig sheet, which bakes what the controls do"};
    }

    Result<std::vector<WrittenFile>> bvh() {
        if (scene_.timelines.size() != 1) {
            std::vector<std::string> names;
            for (const Timeline& t : scene_.timelines) names.push_back(t.name);
            return Finding{Code::kNoMotion,
                           Severity::kStop,
                           Place::in(output_.string()),
                           fmt::format("{} timelines: {}", names.size(), name_list(names)),
                           "one timeline: BVH holds one motion",
                           "choose one",
                           {},
                           {again({{Call::Option::kTimeline}})}};
        }
        note_facts("BVH");
        MELLOW_TRY(const SamplePlan samples, plan(scene_.timelines[0]));
        JointChoice all;
        all.keep_tips = true;
        all.keep_cameras = false;
        MELLOW_TRY(const ChosenJoints chosen, choose_joints(scene_, all));
        MELLOW_TRY(const Rig rig, Rig::bind(scene_, 0, {}));
        const Baked baked =
            bake(take_of(scene_, rig.source(), chosen.skeleton, chosen.sources), samples);
        MELLOW_CHECK(check_moves(baked, chosen.skeleton));
        BvhOptions bvh;
        bvh.order = options_.order.value_or(bvh.order);
        for (const Node& node : scene_.nodes)
            if (node.order && !options_.order) bvh.orders[node.name] = *node.order;
        for (const auto& [name, order] : options_.orders) bvh.orders[name] = order;
        for (const Node& node : scene_.nodes)
            if (node.end_site)
                bvh.tips[scene_.nodes[static_cast<std::size_t>(node.parent)].name] = node.local.t;
        MELLOW_TRY(BvhText text,
                   write_bvh(chosen.skeleton, baked.clip, Conversion({}, target_), bvh));
        report_.findings.insert(report_.findings.end(), text.findings.begin(), text.findings.end());
        for (const MorphCurve& morph : scene_.timelines[0].morphs)
            report_.findings.push_back(
                {Code::kLeftOut, Severity::kWarning, Place::of("mesh \"" + morph.mesh + "\""),
                 fmt::format("{} morph weights", morph.targets.size()),
                 "a skeleton: BVH holds nothing else", "write glTF to keep them"});
        if (!scene_.meshes.empty())
            report_.findings.push_back(
                {Code::kLeftOut, Severity::kWarning, Place::in(output_.string()),
                 fmt::format("meshes: {}", scene_.meshes.size()),
                 "a skeleton: BVH holds nothing else", "write glTF to keep them"});
        return std::vector<WrittenFile>{
            {output_.filename().string(), {text.text.begin(), text.text.end()}}};
    }

    /// What cannot be read again is not put in place: numbers beyond single precision, for one.
    Status read_back(const std::vector<WrittenFile>& files) const {
        const LoadFile load = [&](const std::string& name) -> Result<Bytes> {
            for (const WrittenFile& f : files)
                if (f.name == name) return Bytes(f.bytes.begin(), f.bytes.end());
            return Finding{
                Code::kFileMissing, Severity::kStop, Place::in(name), "no such file", "", ""};
        };
        auto read =
            read_memory(Bytes(files[0].bytes.begin(), files[0].bytes.end()), files[0].name, load);
        if (read) return {};
        Finding failure = read.failure();
        failure.found = "what would be written cannot be read back: " + failure.found;
        failure.remedy =
            "nothing was written; look for numbers that no file of single precision can hold";
        return failure;
    }

    Status write(const std::vector<WrittenFile>& files) {
        MELLOW_CHECK(read_back(files));
        std::vector<FileToWrite> out;
        for (const WrittenFile& f : files) out.push_back({output_.parent_path() / f.name, f.bytes});
        MELLOW_CHECK(write_files(out, options_.replace));
        for (const FileToWrite& f : out) report_.files.push_back(f.path);
        return {};
    }

    Scene scene_;
    const std::filesystem::path& output_;
    const ConvertOptions& options_;
    Convention target_;
    ConvertReport report_;
};

}  // namespace

Result<ConvertReport> convert_file(Scene source, const std::filesystem::path& output,
                                   const ConvertOptions& options) {
    return FileConverter(std::move(source), output, options).run();
}

}  // namespace mellow
