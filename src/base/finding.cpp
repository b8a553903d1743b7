#include "mellow/finding.h"

#include <algorithm>

#include <array>
#include <iterator>

namespace mellow {
namespace {

constexpr std::array kNames{
    "file-missing",
    "file-unreadable",
    "format-unknown",
    "gltf-broken",
    "gltf-unsupported",
    "gltf-reference",
    "bvh-broken",
    "csv-broken",
    "motion-text-broken",
    "collada-broken",
    "collada-unsupported",
    "collada-reference",
    "number-bad",
    "node-cycle",
    "limit",
    "toml-broken",
    "key-unknown",
    "key-missing",
    "value-bad",
    "name-unknown",
    "name-clash",
    "rule-cycle",
    "rule-clash",
    "range-empty",
    "range-outside",
    "range-overlap",
    "range-off-grid",
    "loop-open",
    "output-exists",
    "output-unwritable",
    "proof-failed",
    "no-motion",
    "no-joints",
    "size-suspect",
    "axis-suspect",
    "hand-suspect",
    "scaled-node",
    "unbaked",
    "still-tail",
    "prefix",
    "shear",
    "zero-scale",
    "missing-joint",
    "unweighted",
    "left-out",
    "assumed",
    "default-name",
    "travel-in-hips",
    "fast-turn",
    "weight-sum",
    "equal-seeds",
    "never-moves",
    "influences",
    "skin-removed",
    "rigid-skin",
    "rate-suspect",
    "travel-absent",
    "range-gap",
    "skeleton-differs",
    "same-content",
    "target-unmet",
    "rest-shape",
    "drives-differ",
    "foot-slide",
    "wheel-turn",
    "through-plane",
    "state-unreached",
    "state-stuck",
    "state-seam",
    "way-open",
    "blend-long",
    "cue-unreached",
    "share-missing",
    "share-differs",
    "foot-depth",
    "pop",
    "loop-repair",
    "left-behind",
    "overruled",
    "no-effect",
    "turned-start",
    "way-shadowed",
    "too-short",
    "loop-unsaid",
    "scale-noise",
    "mesh-repeated",
    "usage",
};
static_assert(kNames.size() == static_cast<std::size_t>(Code::kUsage) + 1);

/// Names of files may hold anything: control characters are shown, not sent to the terminal.
std::string shown(const std::string& text) {
    constexpr std::string_view kHex = "0123456789abcdef";
    std::string out;
    for (const char c : text) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte >= 0x20 && byte != 0x7f)
            out += c;
        else
            out.append("\\x").append({kHex[byte >> 4U], kHex[byte & 15U]});
    }
    return out;
}

/// What is to be pasted may be several lines.
void add_line(std::string& text, std::string_view label, const std::string& value) {
    for (std::size_t from = 0; from < value.size();) {
        const std::size_t to = std::min(value.find('\n', from), value.size());
        text.append("\n  ").append(from == 0 ? label : "          ");
        text.append(shown(value.substr(from, to - from)));
        from = to + 1;
    }
}

}  // namespace

void append(Findings& to, Findings more) {
    to.insert(to.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end()));
}

void say_once(Findings& to, const Findings& more) {
    for (const Finding& f : more) {
        const bool said = std::any_of(to.begin(), to.end(), [&](const Finding& other) {
            return other.code == f.code && other.where == f.where && other.found == f.found;
        });
        if (!said) to.push_back(f);
    }
}

std::string_view name(Code code) { return kNames[static_cast<std::size_t>(code)]; }

std::vector<Code> all_codes() {
    std::vector<Code> codes;
    for (std::size_t i = 0; i < kNames.size(); ++i) codes.push_back(static_cast<Code>(i));
    return codes;
}

std::string_view name(Severity severity) {
    switch (severity) {
        case Severity::kNote:
            return "note";
        case Severity::kWarning:
            return "warning";
        case Severity::kStop:
            return "stop";
    }
    return "stop";
}

std::string edit_lines(const std::vector<Edit>& edits, std::string_view why) {
    std::string out;
    for (const Edit& edit : edits) {
        out.append(out.empty() ? "" : "\n").append(edit.key).append(" = ").append(edit.value);
        if (&edit != &edits.front() || (edit.table.empty() && why.empty())) continue;
        out.append("   # ")
            .append(edit.table.empty() ? "" : "under [" + edit.table + "]")
            .append(why);
    }
    return out;
}

std::string to_text(const Finding& finding) {
    std::string text(name(finding.severity));
    text.append("[").append(name(finding.code)).append("] ").append(shown(finding.where.text()));
    add_line(text, "found:    ", finding.found);
    add_line(text, "expected: ", finding.expected);
    add_line(text, "do:       ", finding.remedy);
    return text;
}

}  // namespace mellow
