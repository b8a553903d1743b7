#include "mellow/file_record.h"

#include <array>

namespace mellow {
namespace {

constexpr std::array<std::string_view, 11> kRoles{"recipe",    "target",  "joint list", "scene",
                                                  "rig sheet", "axes",    "motion",     "skin",
                                                  "clip",      "picture", "thumbnail"};
constexpr std::string_view kPart = " part";

}  // namespace

std::string_view name(FileRole role) { return kRoles[static_cast<std::size_t>(role)]; }

std::string FileRecord::role_text() const {
    return std::string(name(role)) + std::string(part ? kPart : "");
}

std::optional<std::pair<FileRole, bool>> parse_file_role(std::string_view text) {
    for (std::size_t i = 0; i < kRoles.size(); ++i) {
        const auto role = static_cast<FileRole>(i);
        if (text == kRoles[i]) return {{role, false}};
        if (text.starts_with(kRoles[i]) && text.substr(kRoles[i].size()) == kPart)
            return {{role, true}};
    }
    return {};
}

}  // namespace mellow
