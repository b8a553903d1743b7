// The jobs of a recipe: its figure, the files that move it, and every clip with where its samples
// stand. Nothing is baked here; motion files are read to plan them and let go again.
#pragma once

#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "figure/input_notes.h"
#include "figure/motion.h"
#include "mellow/progress.h"
#include "recipe/clip_names.h"

namespace mellow {

/// What a shaped clip is made of: a piece of a motion, or another clip.
struct PartJob {
    std::optional<std::size_t> clip;  ///< of Jobs; else:
    std::size_t motion = 0;
    Performance what;
    double first = 0, last = 0;        ///< seconds of the motion; of a clip, its own
    FrameRate rate;                    ///< of the motion
    const RecipePart* part = nullptr;  ///< nullptr: the clip's own range
    std::string name;                  ///< for people: of the clip, the timeline or arrangement
    // Where it lies in its clip before that is shaped as a whole; laid out once, when it is
    // planned.
    double begin = 0;    ///< second
    double seconds = 0;  ///< that it takes, as often as it is played
    double overlap = 0;  ///< seconds of these that it shares with the one before it

    /// True where it lies over the others, which follow each other.
    bool is_over() const { return part != nullptr && part->over.has_value(); }
};

/// One clip before it is baked.
struct ClipJob {
    RecipeClip clip;                   ///< with its last name and range
    std::vector<PartJob> parts;        ///< of a shaped clip
    double seconds = 0;                ///< of a shaped clip, before it is fitted to samples
    int depth = 1;                     ///< clips of clips of clips: 3
    std::size_t motion = 0;            ///< of Jobs; of a clip of parts, that of the first
    Performance what;                  ///< what moves it
    std::vector<PlannedRange> ranges;  ///< at each rate of the targets, the first one's first
    std::string moved_by;              ///< name of the timeline or arrangement
    Findings shaping;                  ///< what was found of its loop and its length

    /// True where it is of this motion itself, not of parts.
    bool is_of(std::size_t one) const { return clip.parts.empty() && motion == one; }
    /// Seconds that parts take, one behind the other, before the clip is shaped as a whole.
    double laid_out() const {
        double end = 0;
        for (const PartJob& part : parts)
            if (!part.is_over()) end = part.begin + part.seconds;
        return end;
    }

    const PlannedRange& range() const { return ranges.front(); }
    const PlannedRange& range_at(FrameRate rate) const {
        for (const PlannedRange& range : ranges)
            if (range.plan.rate == rate) return range;
        return ranges.front();
    }
};

class Jobs {
  public:
    /// Reads, converts inside, chooses joints, plans all clips. Fails with everything that is wrong
    /// with sheet, recipe and motion files at once; `progress` hears of motion files.
    static Result<std::unique_ptr<Jobs>> read(const Recipe& recipe,
                                              const PackProgress& progress = {});
    /// What was read, and what is to be said of it.
    const InputNotes& notes() const { return notes_; }

    const Figure& figure() const { return figure_; }
    /// Clips of the recipe in its order, then those made from whole timelines, then those of many
    /// files.
    const std::vector<ClipJob>& clips() const { return clips_; }
    /// True where the recipe or any file has cues.
    bool has_cues() const;
    std::size_t motion_files() const { return files_.size() - 1; }
    /// A motion, read again unless somebody holds it. Thread-safe. Fails where its file is another
    /// than it was when the jobs were made.
    Result<std::shared_ptr<const FigureMotion>> motion(std::size_t index) const;
    /// Fails with all layers, arrangements and rules that do not fit the files they lie on.
    Status bind_all() const;
    /// Its file, as messages name it; empty for the figure's own.
    std::string file_of(std::size_t motion) const {
        return motion == 0 ? "" : files_[motion]->file;
    }
    /// Name of the [[source]] of a motion.
    const std::string& source_name(std::size_t motion) const {
        return files_[motion]->source->name;
    }
    /// Cues that its files have themselves.
    const std::vector<SourceCue>& source_cues(std::size_t motion) const {
        return files_[motion]->cues;
    }
    /// Hashes of the bytes of a motion's files, as they were read.
    const std::vector<FileRecord>& records(std::size_t motion) const {
        return files_[motion]->records;
    }

  private:
    struct File {
        const RecipeSource* source = nullptr;  ///< nullptr: the figure's own
        std::string file, folder, path, stem;
        std::vector<FileRecord> records;
        std::vector<SourceCue> cues;
        std::shared_ptr<const FigureMotion> kept;  ///< where there are few
        std::mutex lock;
        std::weak_ptr<const FigureMotion> loaded;
    };
    /// What reading one motion file gave.
    struct Opened {
        std::shared_ptr<const FigureMotion> motion;
        Findings wrong;
        std::vector<ClipJob> planned;  ///< of the clips that name this file alone
    };

    explicit Jobs(const Recipe& recipe) : recipe_(recipe), figure_(recipe) {}
    Status list_files();
    Status own_clips();
    Status expand(const RecipeTimelines& wanted);
    void open_files(const PackProgress& progress, Findings& wrong);
    Findings make_clips(const RecipeMany& wanted, std::size_t table, std::size_t file,
                        const FigureMotion& motion);
    Status take_name(const std::string& name, const std::string& from, const Place& where);
    void take_cues(File& file, const FigureMotion& motion);
    void note_gaps();
    void note_ends(const std::vector<MovingSpan>& moving, const RecipeClip& first,
                   std::int64_t last);
    void note_same_content();
    void note_idle_renames();
    std::string called(const std::string& name, const std::string& raw);
    void note_untelling(const std::string& timeline, const std::string& clip, const Place& where);
    Result<Performance> performance(const RecipeClip& clip, const FigureMotion& motion) const;
    Result<Layer> layer_of(const RecipeLayer& wanted, const FigureMotion& motion) const;
    Findings unplanned_layers() const;
    Status plan(ClipJob& job, const FigureMotion& motion) const;
    static FrameSpan span_of(const Performance& what, const Scene& scene, std::string& name);
    Result<PartJob> piece(const RecipeClip& clip, const FigureMotion& motion) const;
    Status plan_shaped(ClipJob& job, const FigureMotion& motion) const;
    Status find_loop(ClipJob& job, const FigureMotion& motion) const;
    bool on_all_grids(int frames, FrameRate rate) const;
    void plan_joined(Findings& wrong);
    enum class Planned { kNotYet, kInside, kDone, kWrong };
    Status plan_parts(std::size_t clip, std::vector<Planned>& state);
    Result<Planned> join(ClipJob& job, std::vector<Planned>& state);
    Status check_cues() const;
    Status plan_samples(ClipJob& job) const;
    Result<std::size_t> motion_of(const std::string& source, const Place& where) const;
    Status fits_in(const Target& target, int samples, const Place& where) const;

    const Recipe& recipe_;
    Figure figure_;
    InputNotes notes_;
    std::vector<std::unique_ptr<File>> files_;  ///< the first is the figure's own
    std::vector<ClipJob> clips_;
    std::map<std::string, std::string> names_;   ///< folded name of a clip, and where it is from
    std::vector<bool> renamed_;                  ///< renames that some motion file has used
    std::vector<bool> clip_named_;               ///< names of clips that some clip has got
    std::map<std::string, std::size_t> places_;  ///< of clips by their names, when all are known
    std::vector<int> counts_;                    ///< clips made of each [[clips]] so far
};

}  // namespace mellow
