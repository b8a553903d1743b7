#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

#include "base/text.h"
#include "commands.h"
#include "mellow/convert_file.h"
#include "mellow/target.h"

namespace mellow::cli {
namespace {

int read_orders(const ConvertRequest& request, ConvertOptions& options) {
    for (const std::string& typed : request.orders) {
        const std::size_t sign = typed.rfind('=');
        const auto order =
            parse_euler_order(sign == std::string::npos ? typed : typed.substr(sign + 1));
        if (!order)
            return misused(request, "--order", typed, "XYZ, XZY, YXZ, YZX, ZXY, ZYX or JOINT=XYZ");
        if (sign == std::string::npos)
            options.order = order;
        else
            options.orders[typed.substr(0, sign)] = *order;
    }
    return kDone;
}

/// Options that say nothing of the output's format, or of the input's.
int refuse_idle(const ConvertRequest& request) {
    const auto ends = [](const std::string& name, std::initializer_list<const char*> endings) {
        const std::string ending = folded(std::filesystem::path(name).extension().string());
        return std::any_of(endings.begin(), endings.end(),
                           [&](const char* e) { return ending == e; });
    };
    const std::string& out = request.output;
    if (!request.orders.empty() && !ends(out, {".bvh", ".dae"}))
        return misused(request, "--order", out, "BVH or COLLADA: glTF has quaternions");
    if (request.matrices && !ends(out, {".dae"}))
        return misused(request, "--matrices", out, "COLLADA: no other format has them");
    if (!request.textures.empty() && ends(out, {".bvh"}))
        return misused(request, "--textures", out, "a format with pictures");
    if (request.parts == "skin" && ends(out, {".bvh"}))
        return misused(request, "--parts", "skin", "motion or all: BVH holds nothing else");
    if (!request.truth.places.empty() && !ends(request.input, {".bvh"}))
        return misused(request, "--places", request.input, "a BVH file");
    if (!request.truth.frames.empty() && !ends(request.input, {".bvh"}))
        return misused(request, "--frames", request.input, "a BVH file");
    return kDone;
}

std::uintmax_t size_of(const std::filesystem::path& file) {
    std::error_code error;
    const std::uintmax_t size = std::filesystem::file_size(file, error);
    return error ? 0 : size;
}

}  // namespace

int convert(const ConvertRequest& request) {
    ConvertOptions options;
    options.timeline = request.timeline;
    options.replace = request.replace;
    const auto target = find_target(request.target);
    if (!target) return fail(request, target.failures());
    options.target = target.value().convention;
    if (!target.value().files.empty()) {  // a file says more than a convention
        if (target.value().rate_told) options.rate = target.value().rate;
        if (target.value().pictures == Pictures::kLeftOut) options.textures = Textures::kLeftOut;
    }
    if (!request.to_rate.empty() && !(options.rate = parse_rate(request.to_rate)))
        return misused(request, "--to-rate", request.to_rate, "samples per second, such as 30");
    if (const int code = read_orders(request, options); code != kDone) return code;
    if (request.parts == "skin")
        options.parts = SceneParts::kSkin;
    else if (request.parts == "motion")
        options.parts = SceneParts::kMotion;
    else if (request.parts != "all")
        return misused(request, "--parts", request.parts, "all, skin or motion");
    if (request.textures == "embedded")
        options.textures = Textures::kEmbedded;
    else if (request.textures == "beside")
        options.textures = Textures::kBeside;
    else if (request.textures == "none")
        options.textures = Textures::kLeftOut;
    else if (!request.textures.empty())
        return misused(request, "--textures", request.textures, "embedded, beside or none");
    options.matrices = request.matrices;
    if (const int code = refuse_idle(request); code != kDone) return code;
    if (!request.range.empty()) options.first = request.range[0], options.last = request.range[1];
    int exit = kDone;
    if (is_input(request, request.output, {request.input}, exit)) return exit;
    auto read = read_as(request, request.input, request.truth, exit);
    if (!read) return exit;
    auto done = convert_file(std::move(read->scene), request.output, options);
    if (!done) return fail(request, done.failures());
    print_findings(read->findings);
    print_findings(done.value().findings);
    if (request.json)
        print_json([&](JsonWriter& json) {
            json.list("files", done.value().files, [&](const std::filesystem::path& file) {
                json.begin_object().member("file", file.string());
                json.member("bytes", size_of(file)).end_object();
            });
        });
    else if (!request.quiet)
        for (const auto& file : done.value().files)
            print_out(fmt::format("wrote {} ({} bytes)\n", file.string(), size_of(file)));
    return kDone;
}

}  // namespace mellow::cli
