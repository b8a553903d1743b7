#include "mellow/place.h"

namespace mellow {

Place Place::at(std::string_view inner) const {
    Place out = *this;
    if (!inner.empty()) out.path.append(path.empty() ? "" : ", ").append(inner);
    return out;
}

Place Place::inside(const Place& outer) const { return outer.at(text()); }

std::string Place::text() const {
    std::string out = file;
    if (line > 0) out.append(out.empty() ? "line " : ":").append(std::to_string(line));
    if (!path.empty()) out.append(out.empty() ? "" : ", ").append(path);
    return out;
}

}  // namespace mellow
