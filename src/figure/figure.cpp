#include "figure/figure.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <set>

#include "base/at.h"
#include "base/text.h"
#include "base/toml_text.h"
#include "figure/cameras.h"
#include "figure/kept_drives.h"
#include "figure/source_file.h"
#include "math/degrees.h"
#include "mellow/fit.h"
#include "mellow/stock.h"

namespace mellow {

Place travel_asked(const Recipe& recipe) {
    const auto travels = [](const RecipeClip& clip) {
        return clip.travel.ground || clip.travel.height || clip.travel.heading;
    };
    for (const RecipeClip& clip : recipe.clips)
        if (travels(clip)) return clip.range.where;
    for (const RecipeTimelines& wanted : recipe.timelines)
        if (travels(wanted.like)) return wanted.like.range.where;
    for (const RecipeMany& wanted : recipe.many)
        if (travels(wanted.like)) return wanted.like.range.where;
    return {};
}

Status Figure::load() {
    Findings wrong = read_scene_file().failures();
    const bool read = wrong.empty();
    append(wrong, read_sheet().failures());
    // Of a sheet with mistakes, names that are not in the file as well.
    if (read && !wrong.empty())
        if (const auto rig = Rig::bind(scene_, kNone, sheet_); !rig) append(wrong, rig.failures());
    if (!wrong.empty()) return wrong;
    return prepare_cameras(*recipe_, scene_, sheet_);
}

Status Figure::read_scene_file() {
    const auto path = recipe_->folder / recipe_->source;
    auto parsed = load_scene(notes_.files, FileRole::kScene, path.filename().string(), path,
                             limits_for(recipe_->truth));
    if (!parsed) return parsed.failures();
    ReadResult read = std::move(parsed).value();
    scene_ = std::move(read.scene);
    for (const Finding& f : read.findings)
        if (!recipe_->truth.answers(f)) notes_.findings.push_back(f);
    MELLOW_CHECK(overrule(scene_, recipe_->truth, read.keys_on_frames));
    // What the recipe answers, or packing sees to, needs no saying.
    const std::set<Code> answered{Code::kStillTail,   Code::kPrefix,     Code::kLeftOut,
                                  Code::kDefaultName, Code::kUnweighted, Code::kZeroScale,
                                  Code::kRigidSkin,   Code::kNoMotion};
    Stock stock = take_stock(scene_);
    for (const Finding& f : stock.findings) {
        const bool rigged = f.code == Code::kUnbaked && !recipe_->rig.empty();
        if (!answered.contains(f.code) && !recipe_->truth.answers(f) && !rigged)
            notes_.findings.push_back(recipe_->truth.placed(f));
    }
    timelines_ = std::move(stock.timelines);
    note_lights();
    static_meshes_ = static_meshes(scene_);
    conversion_ = Conversion(scene_.convention, Convention{});
    to_inside(scene_);
    split_rigid_meshes(scene_);
    for (Finding& f : restore_zero_scales(scene_)) notes_.findings.push_back(std::move(f));
    return {};
}

Status Figure::read_sheet() {
    Findings mistakes;
    if (!recipe_->rig.empty()) {
        MELLOW_TRY(const Bytes text,
                   load_file(notes_.files, FileRole::kRigSheet,
                             std::filesystem::path(recipe_->rig).filename().string(),
                             recipe_->folder / recipe_->rig));
        sheet_ = parse_rig_sheet({reinterpret_cast<const char*>(text.data()), text.size()},
                                 std::filesystem::path(recipe_->rig).filename().string(), mistakes);
        convert(sheet_, conversion_);
    }
    if (sheet_.prefix.empty()) sheet_.prefix = recipe_->strip_prefix;
    if (!mistakes.empty()) return mistakes;
    return {};
}

Status Figure::strip() {
    std::vector<int> kept;
    std::vector<bool> joint(scene_.nodes.size(), scene_.skins.empty());
    for (const Skin& skin : scene_.skins)
        for (const int j : skin.joints) joint[at(j)] = true;
    for (std::size_t n = 0; n < joint.size(); ++n)
        if (joint[n] || scene_.nodes[n].mesh != kNone) kept.push_back(static_cast<int>(n));
    auto stripped = strip_prefix(scene_, recipe_->strip_prefix, kept);
    if (!stripped) {
        Finding failure = stripped.failure();
        failure.where = recipe_->where.strip_prefix;
        return failure;
    }
    if (!recipe_->strip_prefix.empty() && stripped.value() == 0)
        notes_.findings.push_back({Code::kPrefix, Severity::kWarning, recipe_->where.strip_prefix,
                                   fmt::format("no name begins with \"{}\"", recipe_->strip_prefix),
                                   "a prefix that is there", "remove or correct the key"});
    return {};
}

/// How the joints of another skeleton lie in the world, by name.
Status Figure::read_axes(JointChoice& choice) {
    if (recipe_->axes.empty()) return {};
    const auto path = recipe_->folder / recipe_->axes;
    MELLOW_TRY(ReadResult read,
               load_scene(notes_.files, FileRole::kAxes, path.filename().string(), path, {}));
    to_inside(read.scene);
    const std::vector<Affine> worlds = rest_worlds(read.scene);
    for (std::size_t n = 0; n < worlds.size(); ++n) {
        const std::string& name = read.scene.nodes[n].name;
        const std::string& prefix = recipe_->strip_prefix;
        choice.axes[name.starts_with(prefix) ? name.substr(prefix.size()) : name] =
            rotation_of(worlds[n]);
    }
    return {};
}

/// Tells how far each joint's axes were turned, and which joints the other skeleton does not have.
Status Figure::note_axes(const JointChoice& choice) {
    if (recipe_->axes.empty()) return {};
    std::vector<std::string> own;
    for (int j = 0; j < skeleton_.size(); ++j) {
        const int node = sources_[at(j)].node;
        // A camera's axes are those its recipe says.
        if (node == kNone || scene_.nodes[at(node)].camera != kNone) continue;
        if (choice.axes.contains(scene_.nodes[at(node)].name))
            turns_.emplace_back(skeleton_[j].name, sources_[at(j)].turn);
        else
            own.push_back(skeleton_[j].name);
    }
    if (turns_.empty())
        return Finding{Code::kNameUnknown,
                       Severity::kStop,
                       recipe_->where.axes,
                       fmt::format("none of the {} joints is in {}", own.size(), recipe_->axes),
                       fmt::format("nodes named like the joints: {}", name_list(own)),
                       "name a file of the skeleton whose axes the joints shall take"};
    if (own.empty()) return {};
    notes_.findings.push_back(
        {Code::kAssumed, Severity::kWarning, recipe_->where.axes,
         fmt::format("{} of {} joints are not in {} and keep their own axes: {}", own.size(),
                     own.size() + turns_.size(), recipe_->axes, name_list(own)),
         "a node of the same name for every joint", "rename the joints, or name another file"});
    return {};
}

/// How a root of the source's own rests, where it is turned.
std::optional<Quat> Figure::turned_root(const Skeleton& skeleton) const {
    int tops = 0;
    for (const Joint& joint : skeleton.joints()) tops += joint.parent < 0 ? 1 : 0;
    if (skeleton.size() == 0 || tops != 1 || skeleton[0].name != recipe_->root ||
        !recipe_->axes.empty())
        return {};
    const Quat turn = rotation_of(skeleton.rest_worlds()[0]);
    return angle_between(turn, {}) > 1e-6 ? std::optional(turn) : std::nullopt;
}

/// Scales that joints have at rest: those of top joints become part of the data, others stay.
void Figure::note_scales(const Result<ChosenJoints>& joints) {
    if (!joints) return;
    const Skeleton& skeleton = joints.value().skeleton;
    const std::vector<Affine> rest = rest_worlds(scene_);
    std::vector<std::string> taken, kept;
    for (int j = 0; j < skeleton.size(); ++j) {
        const int node = joints.value().sources[at(j)].node;
        const Vec3 own = scene_.nodes[at(node)].local.s, left = skeleton[j].rest.s;
        const auto farthest = [](Vec3 s) {
            return std::max({s.x, s.y, s.z},
                            [](double a, double b) { return std::abs(a - 1) < std::abs(b - 1); });
        };
        const auto away = [&](Vec3 s) { return std::abs(farthest(s) - 1) > 1e-3; };
        if (away(left))
            kept.push_back(fmt::format("{} ({:.4g})", skeleton[j].name, farthest(left)));
        else if (skeleton[j].parent < 0 && away(own))
            taken.push_back(fmt::format("{} ({:.4g})", skeleton[j].name, farthest(own)));
    }
    if (!taken.empty())
        notes_.findings.push_back(
            {Code::kScaledNode, Severity::kNote, Place::in(recipe_->source),
             "joints that rest scaled, which becomes part of the data: " + name_list(taken), "",
             ""});
    if (!kept.empty())
        notes_.findings.push_back({Code::kScaledNode, Severity::kNote, Place::in(recipe_->source),
                                   "joints that rest scaled, and keep it: " + name_list(kept),
                                   "joints of scale 1 at rest, as most engines expect",
                                   "scale 1 in the source's rest pose"});
}

Status Figure::make_skeleton() {
    // Rules are bound by the names of the file, so the rig comes before names are shortened.
    // Where it fails, what else is wrong is looked for as far as that goes without it.
    const auto rig = Rig::bind(scene_, kNone, sheet_);
    Findings wrong = rig ? Findings{} : rig.failures();
    append(wrong, strip().failures());
    JointChoice choice = recipe_->joints;
    append(wrong,
           leave_out(choice, rig ? rig.value().driven_nodes() : std::vector<int>{}).failures());
    append(wrong, find_accepted().failures());
    append(wrong, read_axes(choice).failures());
    auto joints =
        choose_joints(scene_, choice, rig ? rig.value().driven_nodes() : std::vector<int>{});
    if (joints && wrong.empty()) {
        if (const std::optional<Quat> turn = turned_root(joints.value().skeleton)) {
            choice.axes[recipe_->root] = {};
            notes_.findings.push_back(
                {Code::kAssumed, Severity::kNote, Place::in(recipe_->source),
                 fmt::format("\"{}\" rests turned by {:.0f} degrees: that becomes part of the data",
                             recipe_->root, angle_between(*turn, {}) * kDegrees),
                 "a root without turn", ""});
            joints = choose_joints(scene_, choice,
                                   rig ? rig.value().driven_nodes() : std::vector<int>{});
        }
        note_scales(joints);
    }
    if (!wrong.empty()) {
        if (joints) {
            skeleton_ = std::move(joints.value().skeleton);
            sources_ = std::move(joints.value().sources);
            append(wrong, find_hips().failures());
            append(wrong, find_feet().failures());
        }
        return wrong;
    }
    MELLOW_TRY(ChosenJoints chosen, std::move(joints));
    skeleton_ = std::move(chosen.skeleton);
    sources_ = std::move(chosen.sources);
    const Edit kKeepTips{"joints", "tips", "\"keep\""};
    if (!chosen.dropped_tips.empty())
        notes_.findings.push_back({Code::kUnweighted,
                                   Severity::kNote,
                                   "skeleton",
                                   fmt::format("joints at the ends without weight are left out: {}",
                                               name_list(chosen.dropped_tips)),
                                   "",
                                   edit_lines({kKeepTips}),
                                   {kKeepTips}});
    const std::string own_root = skeleton_.size() > 0 ? skeleton_[0].name : "";
    MELLOW_CHECK(add_root(skeleton_, sources_, recipe_->root));
    const auto lower = [](std::string text) {
        for (char& c : text) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
        return text;
    };
    const Edit its{"travel", "root", toml_text(own_root)};
    if (own_root != recipe_->root && lower(own_root) == lower(recipe_->root))
        notes_.findings.push_back(
            {Code::kAssumed,
             Severity::kNote,
             "skeleton",
             fmt::format("\"{}\" of the source, below a joint \"{}\" that is added", own_root,
                         recipe_->root),
             "one root",
             edit_lines({its}, ", if that is the root"),
             {its}});
    if (!recipe_->root_node.empty()) {
        const int node = find_node(scene_, recipe_->root_node);
        std::vector<std::string> names;
        for (const Node& n : scene_.nodes) names.push_back(n.name);
        if (node == kNone)
            return Finding{Code::kNameUnknown,
                           Severity::kStop,
                           recipe_->where.root_node,
                           fmt::format("no node \"{}\"", recipe_->root_node),
                           suggest(recipe_->root_node, names),
                           "correct the name"};
        MELLOW_CHECK(drive_root(skeleton_, sources_, scene_, node));
    }
    MELLOW_CHECK(note_axes(choice));
    drives_ = kept_drives(sheet_, recipe_->strip_prefix, scene_, skeleton_, sources_);
    MELLOW_CHECK(find_hips());
    return find_feet();
}

/// Whether a name, without what stands before a colon, is one of the trade for the hips.
static bool names_hips(const std::string& name) {
    std::string own = name.substr(name.rfind(':') + 1);
    for (char& c : own) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return own == "hips" || own == "pelvis";
}

/// The joint of a name that the recipe gives at `where`.
Result<int> Figure::joint_named(const std::string& name, const Place& where) const {
    const int joint = skeleton_.find(name);
    if (joint >= 0) return joint;
    std::vector<std::string> names;
    for (const Joint& j : skeleton_.joints()) names.push_back(j.name);
    return Finding{
        Code::kNameUnknown,   Severity::kStop,   where, fmt::format("no joint \"{}\"", name),
        suggest(name, names), "correct the name"};
}

/// The joint below the root that most of the figure hangs on, and that carries some of it or parts
/// it: whatever it is called, and whatever stands above it. skeleton_.size() where there is none.
int Figure::carrier() const {
    std::vector<int> joint_of(scene_.nodes.size(), kNone);
    for (std::size_t j = 0; j < sources_.size(); ++j)
        if (sources_[j].node != kNone) joint_of[at(sources_[j].node)] = static_cast<int>(j);
    std::vector<double> own(at(skeleton_.size()), 0);
    for (const Node& node : scene_.nodes) {
        if (node.mesh == kNone || node.skin == kNone) continue;
        const std::vector<int>& joints = scene_.skins[at(node.skin)].joints;
        for (const Primitive& part : scene_.meshes[at(node.mesh)].primitives)
            for (std::size_t i = 0; i < part.influence_joints.size(); ++i) {
                if (part.influence_weights[i] <= 0) continue;
                int up = joints[part.influence_joints[i]];
                while (up != kNone && joint_of[at(up)] == kNone) up = scene_.nodes[at(up)].parent;
                if (up != kNone)
                    own[at(joint_of[at(up)])] += static_cast<double>(part.influence_weights[i]);
            }
    }
    std::vector<double> all = own;
    for (int j = skeleton_.size() - 1; j > 0; --j)
        if (skeleton_[j].parent >= 0) all[at(skeleton_[j].parent)] += all[at(j)];
    const auto heaviest = [&](int above) {
        int best = skeleton_.size();
        for (int j = 1; j < skeleton_.size(); ++j) {
            const int node = sources_[at(j)].node;
            const bool camera = node != kNone && scene_.nodes[at(node)].camera != kNone;
            if (skeleton_[j].parent != above || camera) continue;
            if (best == skeleton_.size() || all[at(j)] > all[at(best)]) best = j;
        }
        return best;
    };
    int hips = heaviest(0);
    while (hips < skeleton_.size() && all[at(hips)] > 0 && own[at(hips)] <= 0) {
        const int next = heaviest(hips);
        if (next == skeleton_.size() || all[at(next)] < 0.95 * all[at(hips)]) break;
        hips = next;
    }
    return hips;
}

Status Figure::find_hips() {
    hips_ = 0;
    if (skeleton_.size() == 0) return {};
    if (!recipe_->hips.empty()) {
        MELLOW_TRY(hips_, joint_named(recipe_->hips, recipe_->where.hips));
        if (!body()[at(hips_)]) {
            const int first = carrier();
            std::vector<Edit> edits;
            if (first < skeleton_.size())
                edits.push_back({"travel", "hips", toml_text(skeleton_[first].name)});
            return Finding{Code::kValueBad,
                           Severity::kStop,
                           recipe_->where.hips,
                           fmt::format("\"{}\" is a camera", recipe_->hips),
                           "the joint that the figure hangs on",
                           edits.empty() ? "take hips out" : edit_lines(edits),
                           edits};
        }
    } else {
        const auto& joints = skeleton_.joints();
        const auto named = std::find_if(joints.begin(), joints.end(), [&](const Joint& j) {
            return &j != &joints[0] && names_hips(j.name);
        });
        const bool travels = !travel_asked(*recipe_).empty();
        const int first = carrier();
        if (named != joints.end()) {
            hips_ = static_cast<int>(named - joints.begin());
        } else if (first < skeleton_.size()) {
            hips_ = first, hips_assumed_ = true;
            const Edit same{"travel", "hips", toml_text(skeleton_[hips_].name)};
            if (travels || !scene_.skins.empty())
                notes_.findings.push_back(
                    {Code::kAssumed,
                     Severity::kNote,
                     recipe_->where.hips,
                     fmt::format("joint \"{}\" was taken for the hips", skeleton_[hips_].name),
                     "a joint named hips or pelvis",
                     edit_lines({same}),
                     {same}});
        }
    }
    return {};
}

Status Figure::find_feet() {
    Findings wrong;
    const auto named = [&](const std::vector<std::string>& list, const char* key) {
        std::vector<int> joints;
        for (const std::string& name : list) {
            auto joint = joint_named(name, recipe_->motion.where.at(key));
            if (joint)
                joints.push_back(joint.value());
            else
                append(wrong, std::move(joint).failures());
        }
        return joints;
    };
    feet_ = named(recipe_->motion.feet.value_or(std::vector<std::string>{}), "feet");
    wheels_ = named(recipe_->motion.wheels.value_or(std::vector<std::string>{}), "wheels");
    if (!wrong.empty()) return wrong;
    std::vector<std::string> names;
    for (const Joint& j : skeleton_.joints()) names.push_back(j.name);
    if (!recipe_->motion.feet) feet_ = suggest_feet(skeleton_);
    if (!recipe_->motion.wheels) wheels_ = suggest_wheels(skeleton_);
    planes_.clear();
    for (const RecipePlane& wanted : recipe_->motion.planes) {
        MotionPlane& plane = planes_.emplace_back(wanted.plane);
        if (wanted.joints.empty()) plane.joints = suggest_hands(skeleton_);
        for (int j = 0; j < skeleton_.size(); ++j)
            if (fits_any(wanted.joints, skeleton_[j].name)) plane.joints.push_back(j);
        if (plane.joints.empty())
            return Finding{Code::kNameUnknown,
                           Severity::kStop,
                           wanted.where.at("joints"),
                           wanted.joints.empty() ? "no joints that are hands by their names"
                                                 : "no joint fits " + name_list(wanted.joints),
                           fmt::format("some of {}", name_list(names)),
                           "joints = [\"...\"]   # patterns of names"};
    }
    return {};
}

}  // namespace mellow
