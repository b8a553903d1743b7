#include "pack/packed_figure.h"

#include <algorithm>

#include "base/at.h"
#include "crate/clip_files.h"
#include "pack/crate_files.h"

namespace mellow {

bool shares_a_file(const Target& target) {
    return target.layout == Layout::kSkinAndLibrary || target.layout == Layout::kOneFile;
}

Result<std::shared_ptr<const PackedFigure>> PackedFigure::make(FittedFigure fitted, Scene skin,
                                                               const Plan& plan,
                                                               Findings& findings) {
    std::shared_ptr<PackedFigure> out(new PackedFigure(std::move(fitted), plan.target));
    MELLOW_CHECK(out->write(std::move(skin), plan, findings));
    const FittedFigure& figure = out->fitted_;
    MELLOW_TRY(SkinProof proof, SkinProof::make({figure.scene(), figure.bound(), figure.sources(),
                                                 figure.unsimplified(), plan.accepted},
                                                out->skin_));
    out->proof_.emplace(std::move(proof));
    MELLOW_CHECK(prove_winding(figure.scene(), out->skin_));
    return std::shared_ptr<const PackedFigure>(std::move(out));
}

Status PackedFigure::write(Scene skin, const Plan& plan, Findings& findings) {
    for (const Mesh& mesh : skin.meshes)
        morph_targets_.insert(morph_targets_.end(), mesh.target_names.begin(),
                              mesh.target_names.end());
    const bool later = target_.layout == Layout::kOneFile;
    if (later || target_.layout == Layout::kClipsWithSkin) written_ = skin;
    MELLOW_TRY(const WrittenScene written,
               encode_scene(std::move(skin), target_, target_.skin_format, plan.name));
    say_once(findings, written.findings);
    if (!later) {
        MELLOW_TRY(file_, put_files(plan.folder, written, FileRole::kSkin));
    }
    MELLOW_TRY(StoredFile stored, later || plan.folder == nullptr
                                      ? Result<StoredFile>(unstored(written))
                                      : stored_file(plan.folder->path() / file_.file));
    MELLOW_TRY(skin_, decode_scene(std::move(stored), target_));
    bounds_ = mesh_bounds(skin_, rest_pose(skin_));
    return {};
}

void PackedFigure::tell(PackReport& report) const {
    report.skin = file_;
    report.morph_targets = morph_targets_;
    if (bounds_.any) report.height_m = bounds_.high.y - bounds_.low.y;
}

/// True where both have all joints of the figure with the parents they have in it, and the skin as
/// it is.
bool PackedFigure::is_like(const PackedFigure& other) const {
    const auto whole = [](const PackedFigure& crate) {
        const JointFit& fit = crate.fitted_.fit();
        return crate.target_.morphs.empty() && !shares_a_file(crate.target_) &&
               fit.surplus.empty() &&
               std::find(fit.plain.begin(), fit.plain.end(), false) == fit.plain.end() &&
               std::find(fit.from.begin(), fit.from.end(), kNone) == fit.from.end();
    };
    return whole(*this) && whole(other) && target_.influences == other.target_.influences &&
           target_.loop_form == other.target_.loop_form;
}

/// What joints of this crate are called in another.
std::map<std::string, std::string> PackedFigure::names_in(const PackedFigure& other) const {
    std::map<std::string, std::string> names;
    for (int j = 0; j < skeleton().size(); ++j)
        names[skeleton()[j].name] = other.fitted_.name_of(fitted_.fit().from[at(j)]);
    return names;
}

const LikeSkins* PackedFigure::beside(const PackedFigure& other) const {
    const std::lock_guard lock(pairing_);
    const auto [have, fresh] = beside_.try_emplace(&other);
    if (fresh && is_like(other))
        have->second = LikeSkins::make(other.skin_, skin_, names_in(other));
    return have->second ? &*have->second : nullptr;
}

}  // namespace mellow
