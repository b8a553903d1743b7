#include <fmt/format.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <map>
#include <set>
#include <system_error>

#include "disk/new_file.h"
#include "disk/unfinished.h"
#include "mellow/safe_write.h"

namespace mellow {
namespace fs = std::filesystem;
namespace {

/// Path within the folder and size of every file in it.
std::map<fs::path, std::uintmax_t> files_in(const fs::path& folder) {
    std::map<fs::path, std::uintmax_t> files;
    std::error_code error;
    for (fs::recursive_directory_iterator at(folder, error), end; !error && at != end;
         at.increment(error))
        if (!at->is_directory(error))
            files[at->path().lexically_relative(folder)] = at->file_size(error);
    return files;
}

/// True when two folders hold the same files with the same bytes.
bool same_files(const fs::path& a, const fs::path& b) {
    const auto files = files_in(a);
    if (files != files_in(b)) return false;
    return std::all_of(files.begin(), files.end(), [&](const auto& file) {
        const auto bytes = content(a / file.first);
        return bytes && bytes == content(b / file.first);
    });
}

/// The first of NAME.word-1, NAME.word-2 ... that is free.
fs::path free_name(const fs::path& path, const char* word) {
    std::error_code error;
    for (int i = 1;; ++i)
        if (fs::path candidate = beside(path, fmt::format(".{}-{}", word, i));
            !fs::exists(fs::symlink_status(candidate, error)))
            return candidate;
}

fs::path without_slash(const fs::path& path) {
    return path.has_filename() ? path : path.parent_path();
}

}  // namespace

StagedFolder::StagedFolder(fs::path final, fs::path partial, std::vector<fs::path> made)
    : final_(std::move(final)), partial_(std::move(partial)), made_(std::move(made)) {}

StagedFolder::StagedFolder(StagedFolder&& other) noexcept
    : final_(std::move(other.final_)),
      partial_(std::move(other.partial_)),
      made_(std::move(other.made_)),
      unfinished_(std::move(other.unfinished_)),
      open_(other.open_),
      replace_(other.replace_) {
    other.open_ = false;
}

StagedFolder::~StagedFolder() {
    std::error_code ignored;
    if (!open_) return;
    remove_tree(partial_);
    for (const fs::path& folder : made_) fs::remove(folder, ignored);  // where it is empty
}

Status StagedFolder::check(const fs::path& final, bool replace, const Foreign& foreign) {
    const fs::path place = without_slash(final);
    std::error_code error;
    if (!fs::exists(fs::symlink_status(place, error))) return {};
    const std::string other = fs::is_symlink(place, error) ? "a link" : foreign(place);
    if (!other.empty())
        return exists(place, other, "choose another output folder, or take it away from there");
    if (!replace)
        return exists(place, "a crate that was packed before",
                      "replace it (the old one is kept as a backup), or choose another folder",
                      true);
    return {};
}

Result<StagedFolder> StagedFolder::open(const fs::path& final, bool replace,
                                        const Foreign& foreign) {
    MELLOW_CHECK(check(final, replace, foreign));
    const fs::path place = without_slash(final);
    std::error_code error;
    std::vector<fs::path> made;
    for (fs::path up = place.parent_path(); !up.empty() && !fs::exists(up, error);
         up = up.parent_path())
        made.push_back(up);
    const auto no_folder = [&](const fs::path& path, int why) {
        for (const fs::path& up : made) fs::remove(up, error);
        return refused(path, "cannot make the folder", why);
    };
    error.clear();  // of looking for what is not there
    if (!place.parent_path().empty()) fs::create_directories(place.parent_path(), error);
    if (error) return no_folder(place.parent_path(), error.value());
    const PlaceLock lock(place);
    const auto held = writing();
    remove_litter(place);
    auto partial = Unfinished::folder(place);
    if (!partial) {
        for (const fs::path& up : made) fs::remove(up, error);
        return partial.failures();
    }
    StagedFolder staged(place, partial.value().path(), std::move(made));
    staged.replace_ = replace;
    staged.unfinished_ = std::make_unique<Unfinished>(std::move(partial).value());
    return staged;
}

Status StagedFolder::write(const std::string& relative, std::span<const std::uint8_t> bytes) {
    const auto held = writing();
    const fs::path path = partial_ / relative;
    std::error_code error;
    fs::create_directories(path.parent_path(), error);
    if (error)
        return refused((final_ / relative).parent_path(), "cannot make the folder", error.value());
    NewFile file(path, final_ / relative);
    file.write(bytes.data(), bytes.size());
    return file.finish();
}

Status StagedFolder::write_text(const std::string& relative,
                                const std::function<void(const TextSink&)>& make) {
    const auto locked = writing();
    constexpr std::size_t kPiece = 64 * 1024;
    NewFile file(partial_ / relative, final_ / relative);
    std::string held;
    make([&](std::string_view text) {
        held += text;
        if (held.size() < kPiece) return;
        file.write(held.data(), held.size());
        held.clear();
    });
    file.write(held.data(), held.size());
    return file.finish();
}

std::vector<fs::path> StagedFolder::backups(const fs::path& final) {
    return backups_of(without_slash(final));
}

fs::path StagedFolder::next_backup(const fs::path& final) {
    return next_backup_of(without_slash(final));
}

/// The new crate in place and the old one under the name of a backup: by exchange, so that at no
/// moment there is none.
Status StagedFolder::exchange(const fs::path& backup) {
    int why = rename_exchange(partial_, final_);
    if (why == 0) {
        why = rename_new(partial_, backup);
        if (why == 0) return {};
        (void)rename_exchange(partial_, final_);
        return refused(final_, "cannot move the old crate aside", why);
    }
    if (!unsupported(why)) return refused(final_, "cannot put the crate in place", why);
    if (::rename(final_.c_str(), backup.c_str()) != 0)
        return refused(final_, "cannot move the old crate aside", errno);
    if (::rename(partial_.c_str(), final_.c_str()) == 0) return {};
    why = errno;
    (void)::rename(backup.c_str(), final_.c_str());
    return refused(final_, "cannot put the crate in place", why);
}

/// The new crate in place where nothing stands; of two that try at once only one comes to stand
/// there.
Status StagedFolder::place_new() {
    const int why = rename_new(partial_, final_);
    if (why == EEXIST || why == ENOTEMPTY)
        return exists(final_, "a crate that another run has just put there",
                      "replace it, if this one is to stand there", true);
    if (why != 0) return refused(final_, "cannot put the crate in place", why);
    return {};
}

Result<StagedFolder::Placed> StagedFolder::commit(int keep) {
    std::error_code error;
    Placed placed;
    for (fs::recursive_directory_iterator at(partial_, error), end; !error && at != end;
         at.increment(error))
        if (at->is_directory(error)) sync_folder(at->path());
    sync_folder(partial_);
    // One act: other processes wait for it, and so does this one's end.
    const PlaceLock lock(final_);
    const auto held = writing();
    if (replace_ && fs::exists(final_, error)) {
        if (same_files(partial_, final_)) {
            remove_tree(partial_);
            open_ = false;
            placed.unchanged = true;
            return placed;
        }
        placed.backup = next_backup(final_);
        MELLOW_CHECK(exchange(placed.backup));
    } else if (Status put = place_new(); !put) {
        if (!same_files(partial_, final_)) return put.failures();
        remove_tree(partial_);  // another run was as far, with the same result
        open_ = false;
        placed.unchanged = true;
        return placed;
    }
    sync_folder(final_.parent_path());
    open_ = false;
    unfinished_.reset();
    if (placed.backup.empty()) return placed;
    std::vector<fs::path> kept = backups(final_);
    for (; kept.size() > static_cast<std::size_t>(std::max(keep, 0)); kept.erase(kept.begin())) {
        remove_whole(kept.front());
        if (kept.front() == placed.backup)
            placed.backup.clear();
        else
            placed.removed.push_back(kept.front());
    }
    return placed;
}

Result<fs::path> StagedFolder::keep_aside() {
    const PlaceLock lock(final_);
    const auto held = writing();
    const fs::path aside = free_name(final_, "rejected");
    std::error_code error;
    fs::rename(partial_, aside, error);
    if (error) return refused(aside, "cannot keep the files aside", error.value());
    open_ = false;
    return aside;
}

}  // namespace mellow
