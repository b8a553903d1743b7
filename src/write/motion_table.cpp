#include "mellow/motion_table.h"

#include <fmt/format.h>

#include <cmath>
#include <iterator>

namespace mellow {
namespace {

/// A field of a header: quoted where it holds what separates fields (RFC 4180, 2.6).
std::string field(const std::string& text) {
    if (text.find_first_of(",\"\r\n") == std::string::npos) return text;
    std::string out = "\"";
    for (const char c : text) out += c == '"' ? "\"\"" : std::string(1, c);
    return out + "\"";
}

bool scaled(const JointTrack& track) {
    for (const float s : track.scale)
        if (std::abs(s - 1) > 1e-6F) return true;
    return false;
}

}  // namespace

std::string write_motion_table(const Skeleton& skeleton, const Clip& clip, const Conversion& out,
                               int first_frame) {
    std::string text = "seconds";
    std::vector<bool> scales;
    for (int j = 0; j < skeleton.size(); ++j) {
        scales.push_back(scaled(clip.joints[static_cast<std::size_t>(j)]));
        for (const char* part : {"tx", "ty", "tz", "qx", "qy", "qz", "qw", "sx", "sy", "sz"})
            if (part[0] != 's' || scales.back()) text += "," + field(skeleton[j].name + "." + part);
    }
    for (const MorphTrack& morph : clip.morphs)
        for (const std::string& target : morph.targets)
            text += "," + field(morph.mesh + "/" + target + ".weight");
    for (const ScalarTrack& scalar : clip.scalars) text += "," + field(scalar.name + ".value");
    text += "\r\n";
    const auto add = [&](double value) {
        // No sign on nothing; the shortest text that gives the same single-precision number.
        fmt::format_to(std::back_inserter(text), ",{}", static_cast<float>(value) + 0.0F);
    };
    for (int k = 0; k < clip.samples; ++k) {
        fmt::format_to(std::back_inserter(text), "{}", clip.rate.seconds(k + first_frame));
        for (int j = 0; j < skeleton.size(); ++j) {
            const auto index = static_cast<std::size_t>(j);
            const Transform t = out.transform(local_at(clip.joints[index], k));
            for (const double v : {t.t.x, t.t.y, t.t.z, t.r.x, t.r.y, t.r.z, t.r.w}) add(v);
            if (scales[index])
                for (const double v : {t.s.x, t.s.y, t.s.z}) add(v);
        }
        const auto sample = static_cast<std::size_t>(k);
        for (const MorphTrack& morph : clip.morphs)
            for (std::size_t t = 0; t < morph.targets.size(); ++t)
                add(static_cast<double>(morph.weights[sample * morph.targets.size() + t]));
        for (const ScalarTrack& scalar : clip.scalars)
            add(static_cast<double>(scalar.values[sample]));
        text += "\r\n";
    }
    return text;
}

}  // namespace mellow
