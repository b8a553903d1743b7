// The parts of the page, as they stand in page/ and in the packages it is made with.
#pragma once

#include <string_view>

namespace mellow {

struct PageParts {
    std::string_view html;  ///< with @CSS@ and so on where the others go
    std::string_view css;
    std::string_view scripts;  ///< our own, joined
    std::string_view three;    ///< three.js
    std::string_view chart;    ///< Chart.js
    std::string_view notices;  ///< what the licences of these two ask to be said
};
const PageParts& page_parts();

}  // namespace mellow
