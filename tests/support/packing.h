// Packing in tests: data in a folder, recipes as text.
#pragma once

#include <string>
#include <vector>

#include "mellow/pack.h"
#include "orchard.h"
#include "remedies.h"
#include "support.h"

namespace mellow::test {

inline void write_files(const std::filesystem::path& folder,
                        const std::vector<orchard::File>& files) {
    for (const orchard::File& file : files)
        write_text(folder / file.name, {file.bytes.begin(), file.bytes.end()});
}

inline const std::string kNoPicture = "picture = false\n";

/// The recipe without its picture, which takes longer than all the rest.
inline std::vector<orchard::File> unpictured(std::vector<orchard::File> files) {
    for (orchard::File& file : files) {
        if (!file.name.ends_with(".recipe.toml")) continue;
        std::string text(file.bytes.begin(), file.bytes.end());
        const auto place = text.find("folder = ");
        EXPECT_NE(place, text.npos);
        text.insert(place, kNoPicture);
        file.bytes.assign(text.begin(), text.end());
    }
    return files;
}

/// The demo's data, made once for all tests of a process, its recipes without pictures.
inline const std::vector<orchard::File>& tamsin() {
    static const std::vector<orchard::File> files = unpictured(orchard::tamsin_files());
    return files;
}
inline const std::vector<orchard::File>& press() {
    static const std::vector<orchard::File> files = unpictured(orchard::press_files());
    return files;
}

inline std::string change(std::string text, const std::string& from, const std::string& to) {
    const auto place = text.find(from);
    EXPECT_NE(place, std::string::npos) << from;
    return place == std::string::npos ? text : text.replace(place, from.size(), to);
}

inline Result<PackReport> pack_text(const TempFolder& folder, const std::string& recipe,
                                    bool replace = false) {
    MELLOW_TRY(const Recipe parsed, parse_recipe(recipe, "tamsin.recipe.toml", folder.path()));
    PackOptions options;
    options.replace = replace;
    auto report = pack(parsed, options);
    expect_remedies(folder, recipe, report ? report.value().findings : report.failures());
    if (report && parsed.checks.empty()) expect_usual_severities(report.value().findings);
    return report;
}

/// All findings of one code.
inline Findings of_code(const PackReport& report, Code code) {
    Findings out;
    for (const Finding& f : report.findings)
        if (f.code == code) out.push_back(f);
    return out;
}

}  // namespace mellow::test
