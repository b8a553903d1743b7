// With the core alone: a scene made in memory, and a joint of it.
#include <mellow/bake.h>
#include <mellow/rig.h>

int main() {
    mellow::Scene scene;
    scene.nodes.push_back({});
    scene.nodes[0].name = "joint";
    const auto chosen = mellow::choose_joints(scene, {});
    const auto sheet = mellow::parse_rig_sheet("[[rule]]\nkind = \"fly\"", "sheet");
    return chosen && chosen.value().skeleton.size() == 1 && !sheet ? 0 : 1;
}
