#include "mellow/performance.h"

#include <algorithm>

namespace mellow {

double Arrangement::last() const {
    double end = first();
    for (const Block& block : blocks) end = std::max(end, block.end());
    return end;
}

}  // namespace mellow
