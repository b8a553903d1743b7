#include "mellow/rig_stock.h"

#include <fmt/format.h>

#include "base/at.h"
#include "base/text.h"
#include "mellow/read.h"
#include "mellow/stock.h"

namespace mellow {
namespace {

/// Nodes whose own local transform changes, by keys or by rules.
std::vector<bool> moved_nodes(const Scene& scene, const Rig& rig) {
    std::vector<bool> moved(scene.nodes.size(), false);
    for (const Timeline& timeline : scene.timelines) {
        for (const Channel& channel : timeline.channels)
            if (channel.path != Path::kWeights) moved[at(channel.node)] = true;
        for (const MemberCurve& member : timeline.members)
            if (member.element != kNone) moved[at(member.node)] = true;
    }
    for (const int node : rig.driven_nodes()) moved[at(node)] = true;
    return moved;
}

}  // namespace

Result<RigSheet> read_rig_sheet(const std::filesystem::path& path) {
    MELLOW_TRY(const Bytes bytes, read_file(path));
    return parse_rig_sheet({reinterpret_cast<const char*>(bytes.data()), bytes.size()},
                           path.filename().string());
}

Result<RigStock> take_rig_stock(const Scene& scene, RigSheet sheet) {
    const Stock stock = take_stock(scene);
    if (sheet.prefix.empty()) sheet.prefix = stock.common_prefix;
    MELLOW_TRY(const Rig rig, Rig::bind(scene, kNone, sheet));
    RigStock out;
    out.steps = rig.steps();
    out.findings = rig.findings();
    const std::vector<bool> moved = moved_nodes(scene, rig);
    std::vector<std::string> still;
    for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
        if (stock.classes[n] != NodeClass::kDeform) continue;
        ++out.deform_joints;
        if (moved[n]) continue;
        int up = scene.nodes[n].parent;
        while (up != kNone && !moved[at(up)]) up = scene.nodes[at(up)].parent;
        out.passive.push_back({scene.nodes[n].name, up == kNone ? "" : scene.nodes[at(up)].name});
        if (up == kNone) still.push_back(scene.nodes[n].name);
    }
    if (!still.empty())
        out.findings.push_back({Code::kNeverMoves, Severity::kWarning, "rig",
                                fmt::format("nothing moves the deform joints {}", name_list(still)),
                                "a key, a rule or a moving parent for every deform joint",
                                "add a rule, or check the names in the rig sheet"});
    return out;
}

}  // namespace mellow
