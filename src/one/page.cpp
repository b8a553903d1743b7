#include "mellow/page.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <set>

#include "base/finding_json.h"
#include "base/json_writer.h"
#include "base/text.h"
#include "crate/clip_record.h"
#include "crate/file_names.h"
#include "disk/hash.h"
#include "disk/json_members.h"
#include "draw/page_parts.h"
#include "mellow/crate.h"
#include "mellow/manifest.h"
#include "mellow/node_mask.h"
#include "mellow/read.h"
#include "mellow/write.h"

namespace mellow {
namespace {

std::string base64(const Bytes& bytes) {
    static constexpr char kLetters[] =
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    out.reserve((bytes.size() + 2) / 3 * 4);
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        const std::size_t left = std::min<std::size_t>(3, bytes.size() - i);
        std::uint32_t three = 0;
        for (std::size_t k = 0; k < 3; ++k) three = three << 8 | (k < left ? bytes[i + k] : 0U);
        for (std::size_t k = 0; k < 4; ++k)
            out += k <= left ? kLetters[three >> (18 - 6 * k) & 63] : '=';
    }
    return out;
}

Status fits(const Page& page, const Place& where) {
    for (const Bytes& file : page.files)
        if (file.size() > page.most_file_bytes)
            return Finding{Code::kLimit,
                           Severity::kStop,
                           where,
                           fmt::format("a file of {} MB", file.size() / 1'000'000),
                           fmt::format("files of at most {} MB, which browsers can take in",
                                       page.most_file_bytes / 1'000'000),
                           "pack each clip into a file of its own, or a shorter range"};
    return {};
}

std::string link_name(const Bytes& file) { return hash_hex(file) + ".js"; }

Finding none_fit(const Place& where, const std::string& match,
                 const std::vector<std::string>& names) {
    return {Code::kNameUnknown,
            Severity::kStop,
            where,
            fmt::format("no clip that fits \"{}\"", match),
            "its clips: " + name_list(names),
            "change the pattern",
            {},
            {again({{Call::Option::kMatch}})}};
}

std::size_t add_glb(Page& page, const Scene& scene) {
    const auto glb = write_glb(scene);
    page.files.emplace_back(glb.begin(), glb.end());
    return page.files.size() - 1;
}

/// A crate whose files are of other formats: as they are read back, written as GLB.
Status add_translated(Page& page, const std::filesystem::path& folder, const std::string& match,
                      PageFigure& figure) {
    MELLOW_TRY(Crate crate, open_crate(folder));
    convert(crate.skin, crate.convention);
    figure.skin = add_glb(page, crate.skin);
    for (std::size_t i = 0; i < crate.clips.size(); ++i) {
        const std::string& name = crate.clips[i].name;
        if (!fits_pattern(match, name)) continue;
        convert(crate.motions[i], crate.convention);
        crate.motions[i].timelines[0].name = name;
        figure.clips.push_back({name, name, add_glb(page, crate.motions[i])});
    }
    return {};
}

/// The findings that the report of a crate has, where there is one.
Findings reported(const std::filesystem::path& folder) {
    const auto text = read_file(folder / kReportFile);
    if (!text) return {};
    JsonMembers report(text.value());
    Findings findings = report.failed() ? Findings{} : read_findings(report, "findings", "");
    return report.failed() ? Findings{} : findings;
}

/// Figures of one name are told apart by what they come from, and where that is one name, too, by
/// their numbers.
void tell_apart(std::vector<PageFigure>& figures) {
    std::map<std::string, std::size_t> named, from;
    for (const PageFigure& figure : figures) {
        ++named[figure.name];
        ++from[figure.name + "/" + figure.from];
    }
    std::map<std::string, std::size_t> number;
    for (PageFigure& figure : figures) {
        if (named[figure.name] < 2) continue;
        const std::string whole = figure.name + "/" + figure.from;
        std::string label = figure.name + ", " + figure.from;
        if (from[whole] > 1) label += fmt::format(" {}", ++number[whole]);
        figure.name = label;
    }
}

std::string file_id(std::size_t file) { return fmt::format("file-{}", file); }

void write_figure(JsonWriter& json, const PageFigure& figure) {
    json.begin_object().member("name", figure.name).member("skin", file_id(figure.skin));
    json.list("clips", figure.clips, [&](const PageClip& clip) {
        json.begin_object().member("name", clip.name).member("animation", clip.animation);
        json.member("data", file_id(clip.file));
        if (!clip.source.empty()) {
            Bytes bytes(clip.source.size() * sizeof(float));
            std::memcpy(bytes.data(), clip.source.data(), bytes.size());
            json.member("source", base64(bytes));
        }
        json.end_object();
    });
    if (!figure.source_joints.empty()) json.list("source_joints", figure.source_joints);
    json.raw_member("manifest", figure.manifest);
    write_findings(json, figure.findings);
    json.end_object();
}

}  // namespace

Status add_crate(Page& page, const std::filesystem::path& folder, const std::string& match) {
    MELLOW_TRY(const Manifest manifest, Manifest::open(folder, Parts::kRefused));
    PageFigure figure;
    figure.name = manifest.name;
    figure.from = folder.lexically_normal().filename().string();
    if (figure.from.empty())
        figure.from = folder.lexically_normal().parent_path().filename().string();
    std::map<std::string, std::size_t> placed;
    const auto place = [&](const FileRecord& record) -> Result<std::size_t> {
        const auto found = placed.find(record.file);
        if (found != placed.end()) return found->second;
        MELLOW_TRY(Bytes bytes, read_file(folder / record.file));
        if (hash_hex(bytes) != record.hash)
            return Finding{Code::kFileUnreadable,
                           Severity::kStop,
                           Place::in((folder / record.file).string()),
                           "other content than the manifest names",
                           "the files of the crate",
                           "pack the crate again"};
        page.files.push_back(std::move(bytes));
        return placed[record.file] = page.files.size() - 1;
    };
    const auto is_glb = [](const FileRecord& record) {
        return format_of_name(record.file) == FileFormat::kGlb;
    };
    std::vector<std::string> names;
    bool glb = is_glb(manifest.skin);
    for (const PackedClip& clip : manifest.clips) {
        names.push_back(clip.clip.name);
        glb = glb && is_glb(clip.file);
    }
    if (glb) {
        MELLOW_TRY(figure.skin, place(manifest.skin));
        for (const PackedClip& clip : manifest.clips) {
            const std::string& name = clip.clip.name;
            if (!fits_pattern(match, name)) continue;
            MELLOW_TRY(const std::size_t file, place(clip.file));
            figure.clips.push_back({name, name, file});
        }
    } else {
        MELLOW_CHECK(add_translated(page, folder, match, figure));
    }
    if (figure.clips.empty() && !names.empty())
        return none_fit(Place::in(folder.string()), match, names);
    manifest.encode([&](std::string_view text) { figure.manifest += text; });
    figure.findings = reported(folder);
    page.figures.push_back(std::move(figure));
    return fits(page, Place::in(folder.string()));
}

Status add_scene(Page& page, const std::string& name, const Scene& scene, const Findings& findings,
                 const std::string& match) {
    PageFigure figure;
    figure.name = name;
    figure.from = "file";
    figure.findings = findings;
    // Every animation has a name of its own on the page, also where files have none.
    Scene named = scene;
    std::vector<std::string> names;
    std::set<std::string> seen;
    for (std::size_t i = 0; i < named.timelines.size(); ++i) {
        std::string& own = named.timelines[i].name;
        if (own.empty()) own = fmt::format("animation {}", i + 1);
        if (!seen.insert(own).second) seen.insert(own += fmt::format(" ({})", i + 1));
        names.push_back(own);
    }
    figure.skin = add_glb(page, named);
    for (const std::string& own : names)
        if (fits_pattern(match, own)) figure.clips.push_back({own, own, figure.skin});
    if (figure.clips.empty() && !names.empty()) return none_fit(Place::in(name), match, names);
    page.figures.push_back(std::move(figure));
    return fits(page, Place::in(name));
}

std::string page_states(const StateSheet& sheet, const std::vector<PlayEvent>& events,
                        double seconds, double rate) {
    JsonWriter json;
    json.begin_object().member("start", sheet.start);
    json.object("flags", [&] {
        for (const auto& [flag, value] : sheet.flags) json.member(flag, value);
    });
    json.list("signals", sheet.signals);
    json.list("states", sheet.states, [&](const State& state) {
        json.begin_object().member("name", state.name).member("clip", state.clip);
        json.member("speed", state.speed).key("loop");
        if (state.loop == State::Loop::kAsClip)
            json.raw("null");
        else
            json.value(state.loop == State::Loop::kYes);
        json.end_object();
    });
    json.list("ways", sheet.transitions, [&](const Transition& transition) {
        json.begin_object().member("from", transition.from).member("to", transition.to);
        json.list("when", transition.when, [&](const auto& flag) {
            json.begin_array().value(flag.first).value(flag.second).end_array();
        });
        json.member("on", transition.on)
            .member("at_end", transition.at_end)
            .member("blend", transition.blend);
        json.member("shape", name(transition.shape)).member("priority", transition.priority);
        json.member("restart", transition.restart).end_object();
    });
    json.object("script", [&] {
        json.member("seconds", seconds).member("rate", rate);
        json.list("events", events, [&](const PlayEvent& event) {
            json.begin_object().member("seconds", event.seconds).member("name", event.name);
            json.member("signal", event.signal).member("value", event.value).end_object();
        });
    });
    return json.end_object().take_text();
}

std::string page_text(const Page& page) {
    std::vector<PageFigure> figures = page.figures;
    tell_apart(figures);
    JsonWriter json;
    json.begin_object().member("title", page.title).member("what", page.what);
    json.list("figures", figures, [&](const PageFigure& f) { write_figure(json, f); });
    json.raw_member("states", page.states);
    if (!page.linked.empty())
        json.object("linked", [&] {
            json.member("folder", page.linked).object("files", [&] {
                for (std::size_t i = 0; i < page.files.size(); ++i)
                    json.member(file_id(i), link_name(page.files[i]));
            });
        });
    std::string facts = json.end_object().take_text();
    // In a script element nothing is escaped, and "</script" would end it.
    for (std::size_t at = 0; (at = facts.find('<', at)) != facts.npos;)
        facts.replace(at, 1, "\\u003c");
    std::string files;
    for (std::size_t i = 0; page.linked.empty() && i < page.files.size(); ++i)
        files += fmt::format("<script type=\"text/plain\" id=\"{}\">{}</script>\n", file_id(i),
                             base64(page.files[i]));
    const PageParts& parts = page_parts();
    const std::map<std::string_view, std::string_view> marks{
        {"@NOTICES@", parts.notices}, {"@CSS@", parts.css},
        {"@FACTS@", facts},           {"@FILES@", files},
        {"@THREE@", parts.three},     {"@CHART@", parts.chart},
        {"@SCRIPTS@", parts.scripts}, {"@LINKED@", page.linked.empty() ? "" : " file: 'self'"}};
    std::string out;
    std::string_view left = parts.html;
    while (!left.empty()) {
        const std::size_t begin = left.find('@'), end = left.find('@', begin + 1);
        out += left.substr(0, begin);
        if (begin == left.npos) break;
        out += marks.at(left.substr(begin, end + 1 - begin));
        left.remove_prefix(end + 1);
    }
    return out;
}

namespace {

/// Names of the files beside a page of ours that it loads from the folder `linked`.
std::set<std::string> files_of_page(const std::filesystem::path& page, const std::string& linked) {
    std::set<std::string> out;
    if (!std::filesystem::is_regular_file(page)) return out;
    const auto bytes = read_file(page);
    if (!bytes) return out;
    const std::string text(bytes.value().begin(), bytes.value().end());
    JsonWriter head;
    head.begin_object().member("folder", linked).end_object();
    std::string mark = "\"linked\":" + head.take_text();
    mark.pop_back();
    const std::size_t begin = text.find(mark);
    if (begin == text.npos) return out;
    const std::size_t end = text.find('}', begin);
    constexpr std::size_t kHash = 32;
    for (std::size_t at = begin; (at = text.find(".js\"", at)) < end; ++at)
        if (at >= begin + kHash && text.find_first_not_of("0123456789abcdef", at - kHash) == at)
            out.insert(text.substr(at - kHash, kHash + 3));
    return out;
}

}  // namespace

Result<WrittenPage> write_page(Page page, const std::filesystem::path& path, bool linked,
                               bool replace) {
    namespace fs = std::filesystem;
    WrittenPage out;
    for (const Bytes& file : page.files) out.file_bytes += file.size();
    std::error_code error;
    const fs::path folder = path.parent_path() / (path.stem().string() + ".files");
    std::set<std::string> names;
    const std::set<std::string> before = files_of_page(path, folder.filename().string());
    if (linked || out.file_bytes > kMostPageBytes) {
        const fs::file_status there = fs::symlink_status(folder, error);
        if (fs::exists(there) && !fs::is_directory(there))
            return Finding{Code::kOutputExists,
                           Severity::kStop,
                           Place::in(folder.string()),
                           fs::is_symlink(there) ? "a link of this name" : "a file of this name",
                           "a folder for the page's files, or a name that is free",
                           "write the page elsewhere"};
        page.linked = folder.filename().string();
        for (const Bytes& file : page.files) names.insert(link_name(file));
    }
    const std::string text = page_text(page);
    // What the page refers to comes first. Names are hashes: a page that is there keeps its files.
    std::vector<fs::path> made;
    Status status;
    if (!names.empty()) {
        if (fs::exists(path, error) && !replace) return write_file(path, {}, false).failures();
        const bool fresh = fs::create_directory(folder, error);
        if (error)
            return Finding{Code::kOutputUnwritable,     Severity::kStop,
                           Place::in(folder.string()),  error.message(),
                           "a folder that can be made", "write the page elsewhere"};
        for (std::size_t i = 0; status && i < page.files.size(); ++i) {
            const fs::path place = folder / link_name(page.files[i]);
            const std::string script = fmt::format("mellowFile(\"{}\", \"{}\");\n",
                                                   link_name(page.files[i]), base64(page.files[i]));
            if (!fs::exists(place, error)) made.push_back(place);
            status = write_file(place, Bytes(script.begin(), script.end()), true);
        }
        if (fresh) made.push_back(folder);
    }
    if (status) status = write_file(path, Bytes(text.begin(), text.end()), replace);
    if (!status) {
        for (const fs::path& file : made) fs::remove(file, error);
        return status.failures();
    }
    // Files of the page that stood here before, and nothing else.
    if (fs::is_directory(fs::symlink_status(folder, error))) {
        for (const std::string& name : before)
            if (!names.contains(name) && fs::is_regular_file(fs::symlink_status(folder / name)))
                fs::remove(folder / name, error);
        if (!before.empty()) fs::remove(folder, error);  // where nothing is left in it
    }
    out.page_bytes = text.size();
    out.linked = page.linked.empty() ? "" : folder.string();
    return out;
}

}  // namespace mellow
