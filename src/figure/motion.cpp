#include "figure/motion.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "base/toml_text.h"
#include "figure/carried_motion.h"
#include "figure/driven_take.h"
#include "figure/source_file.h"
#include "math/degrees.h"

namespace mellow {
namespace {

const RigSheet kNoRules;

/// True when the file keys something that the figure's rig reads and that is no joint.
bool keys_controls(const Scene& motion, const Figure& figure) {
    const auto nodes = nodes_by_name(figure.scene());
    const auto control = [&](int n) {
        const std::string& name = motion.nodes[at(n)].name;
        return nodes.contains(name) && figure.skeleton().find(name) < 0;
    };
    for (const Timeline& timeline : motion.timelines) {
        for (const Channel& c : timeline.channels)
            if (c.path != Path::kWeights && control(c.node)) return true;
        for (const MemberCurve& c : timeline.members)
            if (control(c.node)) return true;
    }
    return false;
}

/// Weights for meshes of another file get meshes without vertices, so that they can be evaluated.
/// One mesh has one list of targets: timelines that name others are refused.
Status hold_morphs(Scene& motion, const std::string& file) {
    for (Timeline& timeline : motion.timelines) {
        for (MorphCurve& morph : timeline.morphs) {
            int node = find_node(motion, morph.mesh);
            if (node == kNone) {
                node = static_cast<int>(motion.nodes.size());
                motion.nodes.push_back({});
                motion.nodes.back().name = morph.mesh;
                motion.roots.push_back(node);
            }
            Node& holder = motion.nodes[at(node)];
            if (holder.mesh == kNone) {
                holder.mesh = static_cast<int>(motion.meshes.size());
                motion.meshes.push_back({morph.mesh, {}, morph.targets, {}, {}, {}});
            }
            const auto& targets = motion.meshes[at(holder.mesh)].target_names;
            if (targets != morph.targets)
                return Finding{
                    Code::kNameClash,
                    Severity::kStop,
                    Place::in(file).at(fmt::format("timeline \"{}\"", timeline.name)),
                    fmt::format("weights of \"{}\" for {}", morph.mesh, name_list(morph.targets)),
                    targets.empty() ? "weights of targets that the mesh has"
                                    : name_list(targets) + ", as elsewhere in the file",
                    "the same targets in the same order in all timelines, or a file "
                    "for each"};
            timeline.channels.push_back({node, Path::kWeights, std::move(morph.curve)});
        }
        timeline.morphs.clear();
    }
    return {};
}

/// Vertices, pictures and skins of a motion file are never looked at.
void drop_vertices(Scene& motion) {
    for (Node& node : motion.nodes) node.skin = kNone;
    for (Mesh& mesh : motion.meshes) mesh.primitives.clear();
    motion.skins.clear();
    motion.images.clear();
    motion.materials.clear();
}

class MotionReader {
  public:
    MotionReader(const Recipe& recipe, const RecipeSource& source, const std::string& file,
                 const Figure& figure)
        : recipe_(recipe), source_(source), figure_(figure) {
        out_.source = source.name;
        out_.file = file;
        out_.prefix = source.strip_prefix;
    }

    /// Which renames some name of the file fits.
    void find_renamed(const Scene& scene) {
        const std::string& prefix = source_.strip_prefix;
        std::vector<std::string> names;
        for (const Node& node : scene.nodes) names.push_back(node.name);
        for (const Timeline& timeline : scene.timelines)
            for (const MorphCurve& morph : timeline.morphs) names.push_back(morph.mesh);
        for (const Rename& rename : recipe_.renames)
            out_.renamed.push_back(std::any_of(names.begin(), names.end(), [&](const auto& name) {
                return fits_pattern(rename.first,
                                    name.starts_with(prefix) ? name.substr(prefix.size()) : name);
            }));
    }

    Result<FigureMotion> run() {
        const auto path = recipe_.folder / out_.file;
        auto parsed =
            load_scene(out_.records, FileRole::kMotion, out_.file, path, limits_for(source_.truth));
        if (!parsed) return parsed.failures();
        ReadResult read = std::move(parsed).value();
        Scene scene = std::move(read.scene);
        for (const Finding& f : read.findings)
            if (!source_.truth.answers(f)) say(f);
        MELLOW_CHECK(overrule(scene, source_.truth, read.keys_on_frames));
        for (const std::string& change : name_timelines(scene))
            say({Code::kDefaultName, Severity::kNote, Place::in(out_.file), change, "", ""});
        Stock stock = take_stock(scene);
        // Unit and axes are not guessed at: joints that lie as those of the figure say them.
        for (Finding& f : stock.findings)
            if ((f.code == Code::kRateSuspect || f.code == Code::kScaleNoise) &&
                !source_.truth.answers(f)) {
                f.where = f.where.inside(Place::in(out_.file));  // it names the timeline alone
                f.remedy = under_source(f.edits);
                say(source_.truth.placed(std::move(f)));
            }
        out_.stock = std::move(stock.timelines);
        const Convention read_as = scene.convention;
        std::optional<ChosenJoints> bones;
        if (!source_.map.empty()) {
            to_inside(scene);
            MELLOW_TRY(bones, choose_joints(scene, {}));
        }
        drop_vertices(scene);
        read_as_ = read_as;
        to_inside(scene);
        find_renamed(scene);
        rename(scene, source_.strip_prefix, recipe_.renames);
        out_.cues = source_cues(scene, out_.file, out_.findings);
        if (scene.timelines.empty())
            return Finding{Code::kNoMotion,
                           Severity::kStop,
                           Place::in(out_.file),
                           "no timeline in the file",
                           "keys of joints or controls",
                           "take the file out of the pattern under [[source]]"};
        if (bones) MELLOW_CHECK(carry_over(scene, *bones));
        const bool rules = !figure_.sheet().rules.empty() && !bones;
        if (source_.keyed == RecipeSource::Keyed::kControls ||
            (source_.keyed == RecipeSource::Keyed::kByContent && rules &&
             keys_controls(scene, figure_)))
            MELLOW_CHECK(move_rig(scene));
        else
            MELLOW_CHECK(move_joints(std::move(scene)));
        return std::move(out_);
    }

  private:
    /// Keys of the table of this file, which is one of several.
    static std::string under_source(std::vector<Edit> edits) {
        for (Edit& edit : edits)
            if (edit.table == "source") edit.table = "[source]";
        return edit_lines(edits);
    }
    void say(Finding finding) { out_.findings.push_back(std::move(finding)); }

    /// The file's motion on joints of the figure. Where bones are equal but for their names, they
    /// are renamed and nothing else.
    Status carry_over(Scene& scene, const ChosenJoints& bones) {
        const std::filesystem::path path = recipe_.folder / source_.map,
                                    beside = (recipe_.folder / out_.file).parent_path();
        const std::string name = std::filesystem::path(source_.map).filename().string();
        std::vector<FileRecord> record;
        MELLOW_TRY(const Bytes text, load_file(record, FileRole::kMotion, source_.map, path));
        record[0].file = path.lexically_relative(beside).generic_string();
        record[0].part = true;
        out_.records.push_back(record[0]);
        MELLOW_TRY(
            FigureMap map,
            parse_figure_map({reinterpret_cast<const char*>(text.data()), text.size()}, name));
        // The map has the file's names; joints have them without prefix and renamed by now.
        const auto called = [&](std::string& joint) {
            joint = renamed(joint, source_.strip_prefix, recipe_.renames);
        };
        const auto called_here = [&](std::string& joint) {
            joint = renamed(joint, recipe_.strip_prefix, {});
        };
        for (MapPair& pair : map.pairs) {
            std::for_each(pair.motion.begin(), pair.motion.end(), called);
            std::for_each(pair.figure.begin(), pair.figure.end(), called_here);
        }
        std::for_each(map.held.begin(), map.held.end(), called_here);
        for (auto& [joint, angles] : map.turned) called_here(joint);
        std::for_each(map.ignored.begin(), map.ignored.end(), called);
        std::vector<Joint> joints = bones.skeleton.joints();
        for (Joint& joint : joints) called(joint.name);
        ChosenJoints its{{}, bones.sources, {}};
        MELLOW_TRY(its.skeleton, Skeleton::make(std::move(joints)));
        const Place where = Place::in(out_.file);
        if (const auto pairs = plain_pairs(map)) {
            Scene same = scene;
            for (Node& node : same.nodes)
                for (const auto& [from, to] : *pairs)
                    if (node.name == from) {
                        node.name = to;
                        break;
                    }
            JointMapOptions options;
            options.root = recipe_.root;
            options.read_as = read_as_;
            const auto equal = match_joints(figure_.skeleton(), same, options, where);
            if (equal && equal.value().bones > 0) {
                say({Code::kAssumed, Severity::kNote, where,
                     "bones as long as the figure's: joints are renamed by the map, and nothing "
                     "is carried over",
                     "", ""});
                scene = std::move(same);
                return {};
            }
        }
        MELLOW_TRY(scene, carry_motion(scene, its, figure_.skeleton(), map, recipe_.carry, where,
                                       out_.findings));
        return {};
    }

    Status move_rig(const Scene& scene) {
        std::vector<std::string> left;
        MELLOW_TRY(Scene carried, carry_keys(figure_.scene(), scene, Place::in(out_.file), left));
        if (!left.empty())
            say({Code::kMissingJoint, Severity::kWarning, Place::in(out_.file),
                 fmt::format("keys of nodes that the figure does not have: {}", name_list(left)),
                 "nodes of the figure",
                 "names in a [rename] table, or nothing, if they are not needed"});
        out_.scene = std::make_shared<const Scene>(std::move(carried));
        out_.sheet = &figure_.sheet();
        out_.sources = figure_.sources();
        out_.same_nodes = true;
        return {};
    }

    Status move_joints(Scene scene) {
        JointMapOptions options;
        options.root = recipe_.root;
        options.read_as = read_as_;
        MELLOW_TRY(JointMap map,
                   match_joints(figure_.skeleton(), scene, options, Place::in(out_.file)));
        if (map.bones == 0 && scene.nodes.size() > 2)
            say({Code::kAssumed, Severity::kWarning, Place::in(out_.file),
                 "no bone could be compared with the figure's: keys move the place of every joint",
                 "joints that keep their places in those above them",
                 "nothing, if it is motion of this very skeleton"});
        const Edit take_over{"source", "rest", "\"source\""};
        if (map.turned > 0 && !source_.take_over_rest)
            return Finding{
                Code::kSkeletonDiffers,
                Severity::kStop,
                Place::in(out_.file).at(fmt::format("joint \"{}\"", map.most_turned)),
                fmt::format("{} joints whose axes rest turned, this one by {:.1f} degrees",
                            map.turned, map.most_turned_rad * kDegrees),
                "the axes of the figure",
                under_source({take_over}) + ": places agree, axes are taken over",
                {take_over}};
        if (map.turned > 0)
            say({Code::kAssumed, Severity::kNote, Place::in(out_.file),
                 fmt::format("axes of {} joints rest turned, those of \"{}\" the most, by {:.1f} "
                             "degrees: taken over",
                             map.turned, map.most_turned, map.most_turned_rad * kDegrees),
                 "joints whose places agree", ""});
        if (map.posed > 0)
            say({Code::kAssumed, Severity::kNote, Place::in(out_.file),
                 fmt::format("rests in another pose than the figure: {} joints turned, \"{}\" the "
                             "most, by {:.1f} degrees; its keys leave that behind",
                             map.posed, map.most_posed, map.most_posed_rad * kDegrees),
                 "joints that lie in their parents alike", ""});
        if (!map.missing.empty()) {
            const std::vector<Edit> edits = near_names(map, scene);
            say({Code::kMissingJoint, Severity::kWarning, Place::in(out_.file),
                 fmt::format("joints that the file does not have, and that rest: {}",
                             name_list(map.missing)),
                 "all joints of the figure",
                 edits.empty() ? "names in a [rename] table, or nothing, if they shall rest"
                               : edit_lines(edits, ", if that is the joint"),
                 edits});
        }
        if (!map.surplus.empty())
            say({Code::kLeftOut, Severity::kNote, Place::in(out_.file),
                 fmt::format("motion of nodes that are no joints of the figure: {}",
                             name_list(map.surplus)),
                 "joints of the figure", ""});
        MELLOW_CHECK(hold_morphs(scene, out_.file));
        MELLOW_CHECK(find_weights(scene));
        out_.scene = std::make_shared<const Scene>(std::move(scene));
        out_.sheet = &kNoRules;
        out_.sources = std::move(map.sources);
        return {};
    }

    /// Nodes that stand for no joint and are called nearly like one that is missing.
    std::vector<Edit> near_names(const JointMap& map, const Scene& scene) const {
        std::set<std::string> taken;
        for (const JointSource& source : map.sources)
            if (source.node != kNone) taken.insert(scene.nodes[at(source.node)].name);
        std::vector<std::string> left;
        for (const Node& node : scene.nodes)
            if (node.mesh == kNone && !node.name.empty() && !taken.contains(node.name))
                left.push_back(node.name);
        std::vector<Edit> edits;
        for (const std::string& joint : map.missing) {
            const std::string near = nearest_name(joint, left);
            if (near.empty() || nearest_name(near, map.missing) != joint) continue;
            std::erase(left, near);
            edits.push_back({"rename", toml_text(near), toml_text(joint)});
        }
        return edits;
    }

    /// Which of the file's weights are of the figure, and which of the figure's drives are left to
    /// its joints. Weights that move nothing of the figure are refused: they would be lost.
    Status find_weights(const Scene& scene) {
        std::set<std::pair<std::string, std::string>> keyed;
        const std::vector<MorphChannels> own = morph_channels(figure_.scene());
        std::vector<std::string> meshes;
        for (const MorphChannels& morphs : own) meshes.push_back(morphs.mesh);
        for (const Timeline& timeline : scene.timelines)
            for (const Channel& c : timeline.channels) {
                if (c.path != Path::kWeights || !ever_moves(c.curve)) continue;
                const Node& node = scene.nodes[at(c.node)];
                const auto mesh = std::find_if(own.begin(), own.end(), [&](const MorphChannels& m) {
                    return m.mesh == node.name;
                });
                const Edit called{
                    "rename", toml_text(node.name),
                    toml_text(meshes.empty() ? "" : nearest_or_first(node.name, meshes))};
                if (mesh == own.end())
                    return Finding{
                        Code::kNameUnknown,
                        Severity::kStop,
                        Place::in(out_.file).at(fmt::format("timeline \"{}\"", timeline.name)),
                        fmt::format("morph weights of \"{}\", which is no mesh with morph targets "
                                    "of the figure",
                                    node.name),
                        meshes.empty() ? "a figure with morph targets" : suggest(node.name, meshes),
                        meshes.empty() ? "" : edit_lines({called}),
                        meshes.empty() ? std::vector<Edit>{} : std::vector{called}};
                for (const std::string& target : scene.meshes[at(node.mesh)].target_names)
                    keyed.emplace(node.name, target);
            }
        std::vector<std::string> driven, kept;
        for (const KeptDrive& drive : figure_.drives()) {
            if (keyed.contains({drive.mesh, drive.target})) {
                kept.push_back(drive.target);
            } else {
                driven.push_back(drive.target);
                out_.drives.push_back(drive);
            }
        }
        if (!driven.empty())
            say({Code::kAssumed, Severity::kNote, Place::in(out_.file),
                 "morph weights that the figure's drives take from the joints: " +
                     name_list(driven),
                 "", ""});
        if (!kept.empty())
            say({Code::kAssumed, Severity::kNote, Place::in(out_.file),
                 "morph weights that the file keys, in place of the figure's drives: " +
                     name_list(kept),
                 "", ""});
        return {};
    }

    static bool ever_moves(const Curve& curve) {
        for (std::size_t i = 0; i < curve.values.size(); ++i)
            if (std::abs(curve.values[i]) > 1e-9) return true;
        return false;
    }

    static std::string nearest_or_first(const std::string& name,
                                        const std::vector<std::string>& names) {
        const std::string near = nearest_name(name, names);
        return near.empty() ? names.front() : near;
    }

    const Recipe& recipe_;
    const RecipeSource& source_;
    const Figure& figure_;
    Convention read_as_;
    FigureMotion out_;
};

}  // namespace

Take FigureMotion::take(const Figure& figure, std::shared_ptr<const Rig> rig,
                        const std::vector<Mount>& mounts) const {
    TakeParts parts;
    parts.mounts = mounts;
    if (!same_nodes) {
        for (Mount& mount : parts.mounts) mount.node = find_node(*scene, mount.name);
        parts.morphs = morph_channels(figure.scene());
    }
    const Take take = play(*scene, std::move(rig), figure.skeleton(), sources, parts);
    return drives.empty() ? take : driven_take(take, drives);
}

FigureMotion own_motion(const Figure& figure, const Recipe& recipe) {
    FigureMotion out;
    out.file = recipe.source;
    out.scene = {std::shared_ptr<const void>{}, &figure.scene()};
    out.sheet = &figure.sheet();
    out.sources = figure.sources();
    out.own = out.same_nodes = true;
    out.prefix = recipe.strip_prefix;
    out.stock = figure.timelines();
    out.cues = source_cues(figure.scene(), out.file, out.findings);
    return out;
}

Result<FigureMotion> read_motion(const Recipe& recipe, const RecipeSource& source,
                                 const std::string& file, const Figure& figure) {
    return MotionReader(recipe, source, file, figure).run();
}

}  // namespace mellow
