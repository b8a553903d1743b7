#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/finding_json.h"
#include "calls.h"
#include "stock_contents.h"
#include "stock_print.h"

namespace mellow::cli {
namespace {

constexpr NodeClass kClasses[] = {NodeClass::kDeform,  NodeClass::kUnweighted, NodeClass::kTip,
                                  NodeClass::kControl, NodeClass::kHelper,     NodeClass::kMesh,
                                  NodeClass::kCamera};

std::string span_text(const MovingSpan& s) { return fmt::format("{}..{}", s.first, s.last); }

std::string timeline_text(const TimelineStock& t, const Stock& stock) {
    std::string text = fmt::format(
        "timeline    \"{}\": frames {}..{}, {} samples, {} intervals, {:.4f} s at {}/s\n", t.name,
        t.first_frame, t.last_frame, t.last_frame - t.first_frame + 1, t.last_frame - t.first_frame,
        t.last_second - t.first_second, to_text(stock.rate));
    text += fmt::format(
        "  keys      {} on {} channels; {} nodes, of these {} joints; {} morph weights\n", t.keys,
        t.channels, t.animated_nodes, t.animated_joints, t.animated_morphs);
    std::vector<std::string> spans;
    for (std::size_t i = 0; i < t.moving.size() && i < 12; ++i)
        spans.push_back(span_text(t.moving[i]));
    if (t.moving.size() > 12) spans.push_back(fmt::format("and {} more", t.moving.size() - 12));
    text += fmt::format("  moving    {}",
                        spans.empty() ? "nothing" : fmt::format("{}", fmt::join(spans, ", ")));
    if (!t.cuts.empty()) text += fmt::format("; cuts after {}", fmt::join(t.cuts, ", "));
    text += "\n";
    return text;
}

/// "drives the orientation of thigh.L, shin.L, foot.L".
std::string drives_text(const RigStep& step, const Scene& scene) {
    std::vector<std::string> names;
    for (const int node : step.nodes)
        names.push_back(scene.nodes[static_cast<std::size_t>(node)].name);
    if (names.size() > 6) names.resize(6), names.emplace_back("...");
    return names.empty() ? step.drives
                         : fmt::format("{} of {}", step.drives, fmt::join(names, ", "));
}

std::string rig_text(const RigStock& rig, const Scene& scene) {
    std::string text =
        fmt::format("rig         {} rules, in the order they are evaluated\n", rig.steps.size());
    for (std::size_t i = 0; i < rig.steps.size(); ++i)
        text += fmt::format("  {:>3}  {}\n       drives the {}\n", i + 1, rig.steps[i].line,
                            drives_text(rig.steps[i], scene));
    if (rig.passive.empty() && rig.deform_joints > 0)
        text += "  every deform joint has keys or a rule of its own\n";
    for (const RigStock::Passive& p : rig.passive)
        text += p.goes_with.empty()
                    ? fmt::format("  {}: nothing moves it\n", p.joint)
                    : fmt::format("  {}: no keys, no rule; goes with {}\n", p.joint, p.goes_with);
    return text;
}

void write(JsonWriter& json, const RigStock& rig, const Scene& scene) {
    json.list("steps", rig.steps, [&](const RigStep& step) {
        json.begin_object().member("kind", step.kind).member("rule", step.line);
        write_place(json, step.where);
        json.member("drives", step.drives);
        json.list("nodes", step.nodes,
                  [&](int node) { json.value(scene.nodes[static_cast<std::size_t>(node)].name); });
        json.end_object();
    });
    json.list("passive", rig.passive, [&](const RigStock::Passive& p) {
        json.begin_object().member("joint", p.joint).member("goes_with", p.goes_with).end_object();
    });
}

}  // namespace

int count(const Stock& stock, NodeClass c) {
    return static_cast<int>(std::count(stock.classes.begin(), stock.classes.end(), c));
}

std::string stock_text(const FileStock& of, bool tree) {
    const ReadResult& read = of.read;
    const Stock& stock = of.stock;
    std::string text = fmt::format("{}: {}\n", of.file, read.format);
    text += fmt::format("convention  {}; frames at {}/s{}\n", to_text(stock.convention),
                        to_text(stock.rate), stock.rate_known ? "" : " (assumed)");
    if (stock.bounds.any) {
        const Vec3 size = stock.bounds.high - stock.bounds.low;
        text += fmt::format("size        {:.3f} m tall; {:.4g} x {:.4g} x {:.4g} units\n",
                            stock.height_m, size.x, size.y, size.z);
    }
    std::vector<std::string> classes;
    for (const NodeClass c : kClasses)
        if (const int n = count(stock, c); n > 0)
            classes.push_back(fmt::format("{} {}", n, name(c)));
    text += fmt::format("nodes       {}: {}\n", stock.classes.size(), fmt::join(classes, ", "));
    text += fmt::format(
        "meshes      {}: vertices {}, triangles {}, morph targets {}\nskins       {}: influences "
        "per "
        "vertex up to {}\nmaterials   {}, images {}\n",
        stock.meshes, stock.vertices, stock.triangles, stock.morph_targets, stock.skins,
        stock.most_influences, stock.materials, stock.images);
    text += contents_text(contents_of(read.scene));
    for (const TimelineStock& t : stock.timelines) text += timeline_text(t, stock);
    if (stock.timelines.empty()) text += "timeline    none\n";
    if (of.rig) text += rig_text(*of.rig, read.scene);
    if (tree) text += "\n" + tree_text(read.scene, stock);
    for (const Severity s : {Severity::kWarning, Severity::kNote})
        for (const auto* list : {&read.findings, &stock.findings})
            for (const Finding& f : *list)
                if (f.severity == s) text += "\n" + to_text(worded(f)) + "\n";
    return text;
}

namespace {

void write(JsonWriter& json, const TimelineStock& t) {
    json.begin_object().member("name", t.name).member("first_frame", t.first_frame);
    json.member("last_frame", t.last_frame).member("seconds", t.last_second - t.first_second);
    json.member("channels", t.channels).member("keys", t.keys);
    json.member("animated_nodes", t.animated_nodes).member("animated_joints", t.animated_joints);
    json.member("animated_morphs", t.animated_morphs);
    json.list("moving", t.moving, [&](const MovingSpan& s) {
        json.begin_array().value(s.first).value(s.last).end_array();
    });
    json.list("cuts", t.cuts).end_object();
}

}  // namespace

void write_stock(JsonWriter& json, const FileStock& of) {
    const ReadResult& read = of.read;
    const Stock& stock = of.stock;
    const Convention& c = stock.convention;
    json.begin_object().member("file", of.file).member("format", read.format);
    json.object("convention", [&] {
        json.member("metres_per_unit", c.metres_per_unit).member("up", name(c.up));
        json.member("front", name(c.front)).member("hand", name(c.hand));
    });
    json.object("rate", [&] {
        json.member("value", to_text(stock.rate)).member("known", stock.rate_known);
    });
    json.member("height_m", stock.height_m);
    json.list("bounds", std::array{stock.bounds.low, stock.bounds.high}, [&](const Vec3& v) {
        json.begin_array().value(v.x).value(v.y).value(v.z).end_array();
    });
    json.object("classes", [&] {
        for (const NodeClass k : kClasses) json.member(name(k), count(stock, k));
    });
    json.object("meshes", [&] {
        json.member("count", stock.meshes).member("vertices", stock.vertices);
        json.member("triangles", stock.triangles).member("morph_targets", stock.morph_targets);
        json.member("skins", stock.skins).member("most_influences", stock.most_influences);
        json.member("materials", stock.materials).member("images", stock.images);
    });
    write_contents(json, contents_of(read.scene));
    json.key("nodes").begin_array();
    for (std::size_t n = 0; n < stock.classes.size(); ++n) {
        json.begin_object().member("name", read.scene.nodes[n].name);
        json.member("parent", read.scene.nodes[n].parent);
        json.member("class", name(stock.classes[n])).end_object();
    }
    json.end_array();
    json.list("timelines", stock.timelines, [&](const TimelineStock& t) { write(json, t); });
    if (of.rig) json.object("rig", [&] { write(json, *of.rig, read.scene); });
    Findings findings = read.findings;
    findings.insert(findings.end(), stock.findings.begin(), stock.findings.end());
    print_findings(json, findings);
    json.end_object();
}

}  // namespace mellow::cli
