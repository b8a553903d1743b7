// Files from disk and the detector: a format is told by its content.
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>

#include "base/text.h"
#include "mellow/motion_text.h"
#include "mellow/parallel.h"
#include "mellow/read.h"
#include "read/names.h"

namespace mellow {
namespace {

constexpr std::size_t kPieceBytes = 1 << 22;

struct FileHandle {
    int fd;
    ~FileHandle() {
        if (fd >= 0) ::close(fd);
    }
};

/// True for a path that ends outside of `folder` once its links are followed.
bool leaves(const std::filesystem::path& folder, const std::filesystem::path& path) {
    std::error_code error;
    const auto home = std::filesystem::weakly_canonical(
        std::filesystem::absolute(folder.empty() ? "." : folder, error), error);
    if (error) return false;
    const auto real =
        std::filesystem::weakly_canonical(std::filesystem::absolute(path, error), error);
    if (error) return false;  // opening it says why
    const std::filesystem::path inside = real.lexically_relative(home);
    return inside.empty() || *inside.begin() == "..";
}

Finding unreadable(const std::filesystem::path& path, Code code, std::string found) {
    return {
        code,
        Severity::kStop,
        Place::in(path.string()),
        std::move(found),
        "a readable file",
        code == Code::kFileMissing ? "check the path" : "check the file's permissions and kind"};
}

}  // namespace

ReadLimits limits_for(const TrueConvention& truth) {
    ReadLimits limits;
    limits.bvh_places = truth.places;
    limits.bvh_frames = truth.frames;
    return limits;
}

Result<Bytes> read_file(const std::filesystem::path& path, const ReadLimits& limits) {
    const FileHandle file{::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)};
    if (file.fd < 0)
        return unreadable(path, errno == ENOENT ? Code::kFileMissing : Code::kFileUnreadable,
                          std::strerror(errno));
    struct stat info {};
    if (::fstat(file.fd, &info) != 0 || !S_ISREG(info.st_mode))
        return unreadable(path, Code::kFileUnreadable, "not a regular file");
    if (static_cast<std::uint64_t>(info.st_size) > limits.file_bytes)
        return Finding{Code::kLimit,
                       Severity::kStop,
                       Place::in(path.string()),
                       fmt::format("{} bytes", info.st_size),
                       fmt::format("at most {} bytes", limits.file_bytes),
                       ""};
    Bytes bytes(static_cast<std::size_t>(info.st_size));
    // Large files in pieces on several threads: copying and fresh memory cost more than the disk.
    const std::size_t runs = bytes.size() / kPieceBytes + 1;
    std::vector<std::size_t> have(runs, 0);
    std::vector<int> errors(runs, 0);
    const auto start = [&](std::size_t run) { return bytes.size() * run / runs; };
    parallel_for(runs, [&](std::size_t run) {
        const std::size_t wanted = start(run + 1) - start(run);
        while (have[run] < wanted) {
            const std::size_t at = start(run) + have[run];
            const ssize_t got =
                ::pread(file.fd, &bytes[at], wanted - have[run], static_cast<off_t>(at));
            if (got < 0 && errno == EINTR) continue;
            if (got < 0) errors[run] = errno;
            if (got <= 0) return;
            have[run] += static_cast<std::size_t>(got);
        }
    });
    for (std::size_t run = 0; run < runs; ++run) {
        if (errors[run] != 0)
            return unreadable(path, Code::kFileUnreadable, std::strerror(errors[run]));
        if (have[run] == start(run + 1) - start(run)) continue;
        bytes.resize(start(run) + have[run]);  // the file became shorter meanwhile
        break;
    }
    return bytes;
}

namespace {

Result<ReadResult> read_any(Bytes bytes, const std::string& name, const LoadFile& load,
                            ReadLimits limits) {
    limits.unstored_bytes = std::max(limits.unstored_bytes, 16 * bytes.size());
    std::string_view text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
    if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
    const std::size_t start = text.find_first_not_of(" \t\r\n");
    const std::string_view head = start == std::string_view::npos ? "" : text.substr(start, 16);
    if (text.starts_with("glTF") || head.starts_with('{')) {
        bytes.erase(bytes.begin(),
                    bytes.begin() + static_cast<std::ptrdiff_t>(bytes.size() - text.size()));
        return read_gltf(std::move(bytes), name, load, limits);
    }
    if (text.starts_with(kMotionTextHead)) {
        MELLOW_TRY(Scene scene, read_motion_text(text, name));
        return ReadResult{std::move(scene), {}, "motion text"};
    }
    if (head.starts_with("HIERARCHY")) return read_bvh(text, name, limits);
    // XML begins with "<", in UTF-16 and UTF-32 with zero bytes around it.
    const std::string_view raw(reinterpret_cast<const char*>(bytes.data()),
                               std::min<std::size_t>(bytes.size(), 8));
    const bool wide = raw.starts_with("\xFF\xFE") || raw.starts_with("\xFE\xFF") ||
                      (raw.find('<') < 4 && raw.find('\0') < 4);
    if (head.starts_with('<') || wide) return read_collada(std::move(bytes), name, load, limits);
    return Finding{
        Code::kFormatUnknown,
        Severity::kStop,
        Place::in(name),
        bytes.empty() ? "an empty file" : "a file that begins like none of the known formats",
        "glTF 2.0 (.glb or .gltf), COLLADA (.dae), BVH or motion as text",
        "write the scene in one of these formats"};
}

}  // namespace

Result<ReadResult> read_memory(Bytes bytes, const std::string& name, const LoadFile& load,
                               const ReadLimits& limits) {
    MELLOW_TRY(ReadResult read, read_any(std::move(bytes), name, load, limits));
    decode_names(read, name);
    know_split_views(read.scene);
    const std::vector<std::string> renamed = name_timelines(read.scene);
    if (!renamed.empty())
        read.findings.push_back({Code::kDefaultName, Severity::kNote, Place::in(name),
                                 fmt::format("timelines of one name: {}", name_list(renamed)),
                                 "a name for each",
                                 "use the new names, or rename them in the source"});
    return read;
}

LoadFile load_beside(const std::filesystem::path& path, const ReadLimits& limits) {
    return [folder = path.parent_path(), limits](const std::string& relative) -> Result<Bytes> {
        const std::filesystem::path beside = folder / relative;
        if (leaves(folder, beside))
            return unreadable(beside, Code::kFileUnreadable, "a link that leads out of the folder");
        return read_file(beside, limits);
    };
}

Result<ReadResult> read_scene(const std::filesystem::path& path, const ReadLimits& limits) {
    MELLOW_TRY(Bytes bytes, read_file(path, limits));
    return read_memory(std::move(bytes), path.filename().string(), load_beside(path, limits),
                       limits);
}

}  // namespace mellow
