#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <iterator>
#include <vector>

#include "disk/new_file.h"
#include "disk/unfinished.h"
#include "mellow/safe_write.h"

namespace mellow {
namespace fs = std::filesystem;
namespace {

constexpr std::size_t kKept = 3;

/// Files on their way to their places. Until finish() everything can go back to how it was.
class Placing {
  public:
    explicit Placing(bool replace) : replace_(replace) {}
    Placing(const Placing&) = delete;
    Placing& operator=(const Placing&) = delete;

    ~Placing() {
        for (auto s = steps_.rbegin(); s != steps_.rend(); ++s) {
            ::unlink(s->partial.c_str());
            if (s->placed && s->backup.empty()) ::unlink(s->path.c_str());
            if (s->backup.empty()) continue;
            if (s->placed || s->moved)
                ::rename(s->backup.c_str(), s->path.c_str());
            else
                ::unlink(s->backup.c_str());
        }
    }

    /// Writes the bytes beside their place.
    Status write(const FileToWrite& wanted) {
        Step step;
        step.path = wanted.path;
        int fd = -1;
        MELLOW_TRY(step.unfinished, Unfinished::file(wanted.path, fd));
        step.partial = step.unfinished.path();
        NewFile file(step.partial, wanted.path, fd);
        file.write(wanted.bytes.data(), wanted.bytes.size());
        MELLOW_CHECK(file.finish());
        std::error_code error;
        step.same = fs::exists(step.path, error) && content(step.path) == content(step.partial);
        steps_.push_back(std::move(step));
        return {};
    }

    /// True when the same bytes stand in all places.
    bool same() const {
        return std::all_of(steps_.begin(), steps_.end(), [](const Step& s) { return s.same; });
    }

    /// Moves the old scene file out of the way, where there are others that it refers to: it must
    /// not be read with new ones.
    Status make_way() {
        Step& head = steps_.front();
        std::error_code error;
        if (steps_.size() == 1 || !fs::exists(head.path, error)) return {};
        const fs::path backup = next_backup_of(head.path);
        if (::rename(head.path.c_str(), backup.c_str()) != 0)
            return refused(head.path, "cannot keep the old file as a backup", errno);
        head.backup = backup;
        head.moved = true;
        return {};
    }

    /// The last one first: the scene file comes when what it refers to is there.
    Status place() {
        for (auto s = steps_.rbegin(); s != steps_.rend(); ++s)
            if (!s->same || s == std::prev(steps_.rend())) MELLOW_CHECK(place(*s));
        return {};
    }

    void finish() {
        for (const Step& s : steps_) {
            if (s.same) ::unlink(s.partial.c_str());
            sync_folder(s.path.parent_path());
            std::error_code error;
            for (auto kept = backups_of(s.path); kept.size() > kKept; kept.erase(kept.begin()))
                fs::remove(kept.front(), error);
        }
        steps_.clear();
    }

  private:
    struct Step {
        fs::path path, partial, backup;
        bool placed = false, moved = false;  ///< the new one, the old one
        bool same = false;                   ///< the old one has the bytes of the new
        Unfinished unfinished;
    };

    Status place(Step& s) {
        std::error_code error;
        if (replace_ && fs::exists(s.path, error)) {
            // The old file has two names for a moment: it is never missing.
            const fs::path backup = next_backup_of(s.path);
            if (::link(s.path.c_str(), backup.c_str()) != 0 &&
                !fs::copy_file(s.path, backup, error))
                return refused(s.path, "cannot keep the old file as a backup", errno);
            s.backup = backup;
            if (::rename(s.partial.c_str(), s.path.c_str()) != 0)
                return refused(s.path, "cannot put the file in place", errno);
        } else {
            const int why = rename_new(s.partial, s.path);
            if (why == EEXIST)
                return exists(s.path, "a file that has just come to stand there", "try again");
            if (why != 0) return refused(s.path, "cannot put the file in place", why);
        }
        s.placed = true;
        return {};
    }

    std::vector<Step> steps_;
    bool replace_;
};

/// Only a file may give way, never a folder, a device or a link to somewhere else.
Status may_write(const fs::path& path, bool replace) {
    std::error_code error;
    const fs::file_status there = fs::symlink_status(path, error);
    if (!fs::exists(there)) return {};
    if (fs::is_directory(there)) return exists(path, "a folder of this name", "name a file");
    if (!fs::is_regular_file(there))
        return exists(path,
                      fs::is_symlink(there) ? "a link of this name" : "something that is no file",
                      "name another file");
    if (!replace)
        return exists(path, "a file of this name", "name another file, or replace it", true);
    return {};
}

}  // namespace

Status write_files(std::span<const FileToWrite> files, bool replace) {
    for (const FileToWrite& file : files) MELLOW_CHECK(may_write(file.path, replace));
    if (files.empty()) return {};
    const PlaceLock place(files.front().path);
    const auto held = writing();
    Placing placing(replace);
    for (const FileToWrite& file : files) remove_litter(file.path);
    for (const FileToWrite& file : files) MELLOW_CHECK(placing.write(file));
    if (replace && placing.same()) return {};
    MELLOW_CHECK(placing.make_way());
    MELLOW_CHECK(placing.place());
    placing.finish();
    return {};
}

Status write_file(const fs::path& path, std::span<const std::uint8_t> bytes, bool replace) {
    const FileToWrite file{path, bytes};
    return write_files({&file, 1}, replace);
}

}  // namespace mellow
