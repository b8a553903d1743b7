#include "pack/thumbnails.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/text.h"
#include "crate/hash.h"
#include "mellow/parallel.h"
#include "pack/crate_output.h"
#include "rig/sheet_words.h"

namespace mellow {
namespace {

constexpr int kLeast = 16, kMost = 2048;

}  // namespace

std::string thumbnail_name(const std::string& clip) { return "thumbs/" + clip + ".png"; }

void read_thumbnails(TomlTable& t, Recipe& recipe) {
    t.knows({"thumbnails"});
    if (!t.has("thumbnails")) return;
    const toml::table* table = t.table("thumbnails");
    if (table == nullptr) return;
    TomlTable in = t.inner(*table, "thumbnails");
    PoseOptions& out = recipe.thumbnails.emplace();
    const std::string size = in.text("size", "160x160");
    const auto parsed = parse_pair<int>(size, "x");
    if (parsed && std::min((*parsed)[0], (*parsed)[1]) >= kLeast &&
        std::max((*parsed)[0], (*parsed)[1]) <= kMost)
        out.width = (*parsed)[0], out.height = (*parsed)[1];
    else
        in.fail(Code::kValueBad, "size", "\"" + size + "\"",
                fmt::format("WIDTHxHEIGHT, each from {} to {}", kLeast, kMost),
                "size = \"160x160\"");
    const std::string from = in.choice("from", {"side", "front", "top", "quarter"}, "quarter");
    for (const ViewFrom view :
         {ViewFrom::kSide, ViewFrom::kFront, ViewFrom::kTop, ViewFrom::kQuarter})
        if (name(view) == from) out.from = view;
    out.around = in.text("around", "");
    out.reach_m = read_within(in, "reach", 0.5, 0.001, 1e4);
    if (in.has("reach")) in.needs("reach", "around");
    in.close();
}

Status CrateOutput::draw_thumbnails() {
    const std::size_t count = report_.clips.size();
    std::vector<Findings> wrong(count);
    parallel_for(count, [&](std::size_t i) {
        PackedClip& packed = report_.clips[i];
        const auto draw = [&]() -> Status {
            Scene motion;
            if (shared_) {
                MELLOW_TRY(motion, clip_of(*shared_, shared_format(), target_, packed.clip.name,
                                           packed.clip.samples));
            } else {
                MELLOW_TRY(StoredFile stored, stored_file(folder_->path() / packed.file.file));
                MELLOW_TRY(motion, decode_clip(std::move(stored), target_, crate_.skin,
                                               packed.clip.name, packed.clip.samples));
            }
            SheetClip clip;
            clip.scene = &motion;
            clip.samples = packed.clip.samples;
            clip.rate = packed.clip.rate;
            double through = 0.5;
            for (const ClipJob& job : jobs_->clips())
                if (job.clip.range.name == packed.clip.name) through = job.clip.thumbnail;
            const int sample = static_cast<int>(std::lround(through * (clip.samples - 1)));
            MELLOW_TRY(const Png png, draw_pose(crate_.skin, clip, sample, *recipe_.thumbnails));
            const std::string file = thumbnail_name(packed.clip.name);
            MELLOW_CHECK(folder_->write(file, png));
            packed.thumbnail = {"thumbnail", file, png.size(), hash_hex(png), {}};
            return {};
        };
        wrong[i] = draw().failures();
    });
    for (Findings& why : wrong)
        if (!why.empty()) return std::move(why);
    return {};
}

}  // namespace mellow
