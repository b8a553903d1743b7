#include <fmt/format.h>

#include "commands.h"
#include "mellow/crate.h"
#include "mellow/safe_write.h"

namespace mellow::cli {

int view(const ViewRequest& request) {
    auto crate = open_crate(request.crate);
    if (!crate) return fail(request, crate.failures());
    auto png = draw_crate(crate.value());
    if (!png) return fail(request, png.failures());
    if (const Status written = write_file(request.output, png.value(), request.replace); !written)
        return fail(request, written.failures());
    if (request.json)
        print_json([&](JsonWriter& json) {
            json.member("picture", request.output).member("bytes", png.value().size());
        });
    else if (!request.quiet)
        print_out(fmt::format("{}: {} clips of {}, {} bytes\n", request.output,
                              crate.value().clips.size(), crate.value().name, png.value().size()));
    return kDone;
}

}  // namespace mellow::cli
