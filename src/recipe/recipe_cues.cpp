#include "recipe/recipe_cues.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

#include "disk/hash.h"
#include "disk/json_members.h"
#include "mellow/read.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

constexpr double kMostFrame = 1e9;

void read_place(TomlTable& t, RecipeCue& cue) {
    cue.source = t.text("source", "");
    cue.timeline = t.text("timeline", "");
    cue.arrangement = t.text("arrangement", "");
    if (!cue.timeline.empty() && !cue.arrangement.empty())
        t.fail(Code::kValueBad, "arrangement", "an arrangement and a timeline", "one of them");
}

RecipeCue read_cue(TomlTable& t) {
    RecipeCue out;
    out.where = t.where("");
    read_place(t, out);
    Cue& cue = out.cue;
    cue.name = t.text("name");
    if (cue.name.empty() && t.has("name")) t.fail(Code::kValueBad, "name", "\"\"", "a name");
    cue.first = cue.last = read_within(t, "at", {}, -kMostFrame, kMostFrame);
    if (t.has("to")) cue.last = read_within(t, "to", {}, -kMostFrame, kMostFrame);
    if (cue.last < cue.first && !t.failed({"at", "to"}))
        t.fail(Code::kValueBad, "to", fmt::format("{} before {}", cue.last, cue.first),
               "a frame after that of at");
    cue.joint = t.text("joint", "");
    t.knows({"tags", "values"});
    if (t.has("tags"))
        if (const toml::table* table = t.table("tags")) {
            TomlTable tags = t.inner(*table, "tags");
            for (const std::string& key : tags.keys()) cue.tags.emplace_back(key, tags.text(key));
        }
    if (t.has("values"))
        if (const toml::table* table = t.table("values")) {
            TomlTable values = t.inner(*table, "values");
            for (const std::string& key : values.keys())
                cue.values.emplace_back(key, values.number(key));
        }
    t.close();
    return out;
}

std::vector<std::string> cells_of(std::string_view line) {
    std::vector<std::string> out(1);
    bool inside = false;
    for (std::size_t i = 0; i < line.size(); ++i) {
        const char c = line[i];
        if (c == '"' && inside && i + 1 < line.size() && line[i + 1] == '"')
            out.back() += line[++i];
        else if (c == '"')
            inside = !inside;
        else if (c == ',' && !inside)
            out.emplace_back();
        else if (c != '\r')
            out.back() += c;
    }
    return out;
}

/// A table with a header: name, at, perhaps to and joint; other columns are tags.
Findings read_csv(std::string_view text, const std::string& file, const RecipeCue& like,
                  std::vector<RecipeCue>& out) {
    std::vector<std::string> header;
    Findings wrong;
    int line = 0;
    while (!text.empty()) {
        const std::size_t end = std::min(text.find('\n'), text.size());
        const std::string_view row = text.substr(0, end);
        text.remove_prefix(std::min(end + 1, text.size()));
        ++line;
        if (row.find_first_not_of(" \r\t") == std::string_view::npos) continue;
        const std::vector<std::string> cells = cells_of(row);
        if (header.empty()) {
            header = cells;
            for (const char* needed : {"name", "at"})
                if (std::find(header.begin(), header.end(), needed) == header.end())
                    return {
                        {Code::kValueBad, Severity::kStop, Place::in(file, 1),
                         fmt::format("no column \"{}\"", needed),
                         "a first line with name, at, and perhaps to, joint and columns of tags",
                         "name,at,to,joint"}};
            continue;
        }
        RecipeCue cue = like;
        cue.where = Place::in(file, line);
        const auto number = [&](const std::string& cell, double& value) {
            const auto [rest, error] =
                std::from_chars(cell.data(), cell.data() + cell.size(), value);
            if (error == std::errc() && rest == cell.data() + cell.size() &&
                std::abs(value) <= kMostFrame)
                return;
            wrong.push_back(
                {Code::kValueBad, Severity::kStop, cue.where, "\"" + cell + "\"", "a frame", ""});
        };
        bool spans = false;
        for (std::size_t i = 0; i < std::min(cells.size(), header.size()); ++i) {
            const std::string& cell = cells[i];
            if (header[i] == "name") {
                cue.cue.name = cell;
            } else if (header[i] == "at") {
                number(cell, cue.cue.first);
            } else if (header[i] == "to") {
                if (!cell.empty()) number(cell, cue.cue.last), spans = true;
            } else if (header[i] == "joint") {
                cue.cue.joint = cell;
            } else if (!cell.empty()) {
                cue.cue.tags.emplace_back(header[i], cell);
            }
        }
        if (!spans) cue.cue.last = cue.cue.first;
        if (cells.size() != header.size() || cue.cue.name.empty() || cue.cue.last < cue.cue.first)
            wrong.push_back({Code::kValueBad, Severity::kStop, cue.where,
                             fmt::format("{} cells, name \"{}\"", cells.size(), cue.cue.name),
                             fmt::format("{} cells with a name, and no end before the beginning",
                                         header.size()),
                             ""});
        out.push_back(std::move(cue));
    }
    return wrong;
}

/// {"cues": [{"name", "at", "to", "joint", "tags", "values"}]}
Findings read_json(const Bytes& bytes, const std::string& file, const RecipeCue& like,
                   std::vector<RecipeCue>& out) {
    JsonMembers json(bytes);
    for (JsonMembers& in : json.objects("cues")) {
        RecipeCue cue = like;
        cue.where = Place::in(file).at(fmt::format("cue {}", out.size() + 1));
        cue.cue.name = in.text("name");
        cue.cue.first = cue.cue.last = in.number("at");
        if (in.has("to")) cue.cue.last = in.number("to");
        if (in.has("joint")) cue.cue.joint = in.text("joint");
        if (in.has("tags")) cue.cue.tags = in.object("tags").all_texts();
        if (in.has("values")) cue.cue.values = in.object("values").all_numbers();
        if (cue.cue.last < cue.cue.first) in.fail("to", "it is before at");
        out.push_back(std::move(cue));
    }
    if (!json.has("cues") && !json.failed()) json.fail("cues", "there is no list of them");
    if (!json.failed()) return {};
    return {{Code::kValueBad, Severity::kStop, Place::in(file), json.error(),
             "{\"cues\": [{\"name\": ..., \"at\": frame}]}", ""}};
}

}  // namespace

void read_cues(TomlTable& top, Recipe& recipe) {
    const auto tables = top.tables("cue");
    for (std::size_t i = 0; i < tables.size(); ++i) {
        const auto named = (*tables[i])["name"].value<std::string>();
        TomlTable t = top.within(
            *tables[i], named ? fmt::format("cue \"{}\"", *named) : fmt::format("cue {}", i + 1));
        recipe.cues.push_back(read_cue(t));
    }
    const auto files = top.tables("cues");
    for (std::size_t i = 0; i < files.size(); ++i) {
        TomlTable t = top.within(*files[i], fmt::format("cues {}", i + 1));
        RecipeCue like;
        read_place(t, like);
        const std::string file = t.text("file");
        if (!t.failed({"file"})) {
            const auto bytes = read_file(recipe.folder / file);
            if (!bytes) {
                Finding failure = bytes.failure();
                failure.where = failure.where.inside(t.where("file"));
                t.fail(std::move(failure));
            } else {
                const Bytes& b = bytes.value();
                recipe.hash = hash_of(recipe.hash + hash_hex(b));
                const std::string_view text{reinterpret_cast<const char*>(b.data()), b.size()};
                Findings wrong = file.ends_with(".json") ? read_json(b, file, like, recipe.cues)
                                                         : read_csv(text, file, like, recipe.cues);
                for (Finding& f : wrong) t.fail(std::move(f));
            }
        }
        t.close();
    }
}

}  // namespace mellow
