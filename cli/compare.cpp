#include "mellow/compare.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <filesystem>
#include <sstream>

#include "commands.h"
#include "mellow/crate.h"

namespace mellow::cli {
namespace {

void write(JsonWriter& json, const char* key, const Deviation& d, const Comparison& c) {
    json.object(key, [&] {
        json.member("worst", d.worst).member("mean", d.mean()).member("at", d.what);
        json.member("seconds", d.sample / c.moments_per_second).member("compared", d.count);
    });
}

void write(JsonWriter& json, const Comparison& c, const std::vector<Difference>& differences,
           const std::set<Aspect>& ignored) {
    json.member("within_tolerance", differences.empty());
    json.list("differences", differences, [&](const Difference& d) {
        json.begin_object().member("aspect", name(d.aspect)).member("what", d.what).end_object();
    });
    json.list("ignored", ignored, [&](Aspect aspect) { json.value(name(aspect)); });
    json.list("seconds", std::array{c.seconds_a, c.seconds_b});
    json.member("moments", c.moments).member("height_m", c.height_m);
    json.list("only_in_first", c.only_a).list("only_in_second", c.only_b);
    json.list("meshes_only_in_first", c.meshes_only_a);
    json.list("meshes_only_in_second", c.meshes_only_b).list("other_meshes", c.other_meshes);
    json.list("weights_only_in_first", c.weights_only_a);
    json.list("weights_only_in_second", c.weights_only_b).list("other_parents", c.other_parents);
    json.list("surfaces", c.surfaces).list("cameras", c.cameras);
    write(json, "joint_position_mm", c.position_mm, c);
    write(json, "joint_rotation_degrees", c.rotation_degrees, c);
    write(json, "joint_scale", c.scale, c);
    write(json, "vertex_mm", c.vertex_mm, c);
    write(json, "morph_weight", c.weight, c);
    json.list("joints", c.joints, [&](const JointComparison& j) {
        json.begin_object().member("name", j.joint);
        write(json, "position_mm", j.position_mm, c);
        write(json, "rotation_degrees", j.rotation_degrees, c);
        json.member("rest_mm", j.rest_mm).member("rest_degrees", j.rest_degrees).end_object();
    });
}

std::string words(const char* what, const Deviation& d, const char* unit, const Comparison& c) {
    if (d.count == 0) return fmt::format("{:9} nothing to compare\n", what);
    return fmt::format("{:9} worst {:.3g} {} at {}, {:.3f} s; mean {:.3g} over {}\n", what, d.worst,
                       unit, d.what.empty() ? "-" : d.what, d.sample / c.moments_per_second,
                       d.mean(), d.count);
}

std::string text_of(const Comparison& c) {
    std::string text = fmt::format("joints {}, moments {}, {:.4f} s against {:.4f} s\n\n",
                                   c.joints.size(), c.moments, c.seconds_a, c.seconds_b);
    text += fmt::format("{:24} {:>10} {:>10} {:>10} {:>10} {:>10}\n", "joint", "worst mm",
                        "mean mm", "degrees", "rest mm", "rest deg");
    for (const JointComparison& j : c.joints)
        text += fmt::format("{:24} {:10.3g} {:10.3g} {:10.3g} {:10.1f} {:10.2f}\n", j.joint,
                            j.position_mm.worst, j.position_mm.mean(), j.rotation_degrees.worst,
                            j.rest_mm, j.rest_degrees);
    text += "\n" + words("joints", c.position_mm, "mm", c);
    text += words("turns", c.rotation_degrees, "degrees", c);
    text += words("scales", c.scale, "of its size", c);
    text += words("vertices", c.vertex_mm, "mm", c);
    text += words("morphs", c.weight, "of weight", c);
    if (c.height_m > 0)
        text += fmt::format("worst joint in heights of the figure: {:.3g}\n",
                            c.position_mm.worst / 1000 / c.height_m);
    return text;
}

/// The last lines: each difference, and the verdict with what was not looked at.
std::string verdict(const std::vector<Difference>& differences, const std::set<Aspect>& ignored,
                    const CompareTolerance& tolerance) {
    std::string text;
    for (const Difference& d : differences)
        text += fmt::format("differs: {:9} {}\n", name(d.aspect), d.what);
    text += differences.empty()
                ? fmt::format("within {} mm, {} degrees", tolerance.mm, tolerance.degrees)
                : fmt::format("NOT within {} mm, {} degrees: {} {}", tolerance.mm,
                              tolerance.degrees, differences.size(),
                              differences.size() == 1 ? "difference" : "differences");
    std::string names;
    for (const Aspect aspect : ignored)
        names += (names.empty() ? "" : ", ") + std::string(name(aspect));
    return text + (names.empty() ? "" : "; ignored: " + names) +
           "\ncompared: joints, vertices, morph weights, surfaces, cameras; not: extras, lights, "
           "how pictures look\n";
}

/// "meshes,weights"; nothing when a word is none of the aspects, which is said.
std::optional<std::set<Aspect>> read_ignored(const CompareRequest& request) {
    std::set<Aspect> ignored;
    std::string list;
    for (int i = 0; i < kAspects; ++i)
        list += (i == 0 ? "" : ", ") + std::string(name(static_cast<Aspect>(i)));
    std::istringstream words(request.ignore);
    for (std::string word; std::getline(words, word, ',');) {
        int i = 0;
        while (i < kAspects && name(static_cast<Aspect>(i)) != word) ++i;
        if (i == kAspects) {
            misused(request, "--ignore", word, list);
            return {};
        }
        ignored.insert(static_cast<Aspect>(i));
    }
    return ignored;
}

CompareTolerance tolerance_of(const CompareRequest& request) {
    CompareTolerance tolerance;
    tolerance.mm = request.tolerance_mm, tolerance.degrees = request.tolerance_degrees;
    return tolerance;
}

bool is_crate(const std::string& path) {
    std::error_code error;
    return std::filesystem::is_regular_file(std::filesystem::path(path) / "crate.json", error);
}

void write(JsonWriter& json, const CrateComparison& c) {
    json.member("same", c.same()).member("same_skin", c.same_skin);
    json.list("skin", c.skin, [&](const Difference& d) {
        json.begin_object().member("aspect", name(d.aspect)).member("what", d.what).end_object();
    });
    json.list("facts", c.facts);
    json.list("clips", c.clips, [&](const ClipChange& clip) {
        json.begin_object().member("name", clip.name).member("change", name(clip.kind));
        json.text_member("was", clip.was);
        if (clip.kind == ClipChange::Kind::kChanged) {
            json.list("differences", clip.differences, [&](const Difference& d) {
                json.begin_object().member("aspect", name(d.aspect)).member("what", d.what);
                json.end_object();
            });
            json.list("facts", clip.facts);
            json.list("motion", clip.motion, [&](const MotionFigure& figure) {
                json.begin_object().member("what", figure.what);
                if (figure.was >= 0) json.member("was_mm", figure.was);
                if (figure.is >= 0) json.member("is_mm", figure.is);
                json.end_object();
            });
        }
        if (clip.position_mm.count > 0) {
            const auto figure = [&](const char* key, const Deviation& d) {
                json.object(key, [&] {
                    json.member("worst", d.worst).member("at", d.what);
                    json.member("seconds", d.sample / clip.moments_per_second);
                });
            };
            figure("joint_position_mm", clip.position_mm);
            figure("joint_rotation_degrees", clip.rotation_degrees);
        }
        json.end_object();
    });
}

/// Checks on motion before and now, a line for each clip that changed.
std::string motion_table(const CrateComparison& c, std::size_t width) {
    std::vector<std::string> whats;
    for (const ClipChange& clip : c.clips)
        for (const MotionFigure& figure : clip.motion)
            if (std::find(whats.begin(), whats.end(), figure.what) == whats.end())
                whats.push_back(figure.what);
    if (whats.empty()) return {};
    std::string text = fmt::format("\n{:{}}", "mm", width);
    for (const std::string& what : whats) text += fmt::format("  {:>20}", what);
    const auto number = [](double mm) { return mm < 0 ? "-" : fmt::format("{:.2f}", mm); };
    for (const ClipChange& clip : c.clips) {
        if (clip.motion.empty()) continue;
        text += fmt::format("\n{:{}}", clip.name, width);
        for (const std::string& what : whats) {
            const auto have =
                std::find_if(clip.motion.begin(), clip.motion.end(),
                             [&](const MotionFigure& figure) { return figure.what == what; });
            text += fmt::format("  {:>20}", have == clip.motion.end()
                                                ? ""
                                                : number(have->was) + " -> " + number(have->is));
        }
    }
    return text + "\n";
}

std::string text_of(const CrateComparison& c) {
    std::size_t width = 4, counts[5] = {};
    for (const ClipChange& clip : c.clips) width = std::max(width, clip.name.size());
    std::string text;
    for (const ClipChange& clip : c.clips) {
        ++counts[static_cast<std::size_t>(clip.kind)];
        if (clip.kind == ClipChange::Kind::kUnchanged) continue;
        text += fmt::format("{:{}}  {}{}\n", clip.name, width, name(clip.kind),
                            clip.was.empty() ? "" : ", was " + clip.was);
        for (const Difference& d : clip.differences)
            text += fmt::format("{:{}}    {:9} {}\n", "", width, name(d.aspect), d.what);
        for (const std::string& fact : clip.facts)
            text += fmt::format("{:{}}    {}\n", "", width, fact);
    }
    for (const std::string& fact : c.facts) text += "crate: " + fact + "\n";
    for (const Difference& d : c.skin)
        text += fmt::format("skin:  {:9} {}\n", name(d.aspect), d.what);
    if (!c.same_skin && c.skin.empty()) text += "skin:  other bytes; nothing that shows\n";
    text += motion_table(c, width);
    return text + fmt::format("{}{} changed, {} added, {} gone, {}{} unchanged\n",
                              text.empty() ? "" : "\n", counts[1], counts[2], counts[3],
                              counts[4] > 0 ? fmt::format("{} renamed, ", counts[4]) : "",
                              counts[0]);
}

int two_crates(const CompareRequest& request, const std::set<Aspect>& ignored) {
    const CompareTolerance tolerance = tolerance_of(request);
    const auto compared = compare_crates(request.a, request.b, tolerance, ignored);
    if (!compared) return fail(request, compared.failures());
    if (request.json)
        print_json([&](JsonWriter& json) { write(json, compared.value()); });
    else if (!request.quiet)
        print_out(text_of(compared.value()));
    return compared.value().same() ? kDone : kChecksFailed;
}

}  // namespace

int compare(const CompareRequest& request) {
    CompareOptions options;
    const auto names = read_pairs(request, request.map, "--map", "NAME_IN_FIRST=NAME_IN_SECOND");
    if (!names) return kUsage;
    options.names = *names;
    const auto ignored = read_ignored(request);
    if (!ignored) return kUsage;
    if (request.align != "zero" && request.align != "first-key")
        return misused(request, "--align", request.align, "zero or first-key");
    options.align_first_key = request.align == "first-key";
    if (is_crate(request.a) != is_crate(request.b)) {
        // One of two crates that is not there, or is none: said of that one.
        const std::string& other = is_crate(request.a) ? request.b : request.a;
        std::error_code error;
        if (!std::filesystem::exists(other, error) || std::filesystem::is_directory(other, error))
            return fail(request, {Code::kFileMissing, Severity::kStop, Place::in(other),
                                  std::filesystem::exists(other, error) ? "no crate.json in it"
                                                                        : "no such file or folder",
                                  "a crate, to compare with " +
                                      (is_crate(request.a) ? request.a : request.b),
                                  "check the path"});
        return misused(request, "FIRST and SECOND", fmt::format("{} {}", request.a, request.b),
                       "two crates, or two files; a file of a crate is in its folder");
    }
    if (is_crate(request.a) && is_crate(request.b)) return two_crates(request, *ignored);
    int exit = kDone;
    auto a = read_as(request, request.a, request.truth_a, exit);
    if (!a) return exit;
    auto b = read_as(request, request.b, request.truth_b, exit);
    if (!b) return exit;
    options.timeline_a = timeline_of(request, a->scene, request.timeline_a, exit);
    options.timeline_b = timeline_of(request, b->scene, request.timeline_b, exit);
    if (exit != kDone) return exit;
    mellow::to_inside(a->scene);
    mellow::to_inside(b->scene);
    const auto compared = compare_motion(a->scene, b->scene, options);
    if (!compared) return fail(request, compared.failures());
    const Comparison& c = compared.value();
    const CompareTolerance tolerance = tolerance_of(request);
    const auto found = differences(c, tolerance, *ignored);
    if (request.json)
        print_json([&](JsonWriter& json) { write(json, c, found, *ignored); });
    else if (!request.quiet)
        print_out(text_of(c) + verdict(found, *ignored, tolerance));
    return found.empty() ? kDone : kChecksFailed;
}

}  // namespace mellow::cli
