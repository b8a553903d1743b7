// Includes every public header of the installed package and packs nothing: it must say why.
#include <mellow/bake.h>
#include <mellow/crate.h>
#include <mellow/fit.h>
#include <mellow/pack.h>
#include <mellow/read.h>
#include <mellow/rig.h>
#include <mellow/sheet.h>
#include <mellow/stock.h>
#include <mellow/write.h>

int main() {
    const auto read = mellow::read_scene("there-is-no-such-file.glb");
    if (read.ok() || read.failure().code != mellow::Code::kFileMissing) return 1;
    mellow::Scene scene;
    scene.nodes.push_back({});
    scene.nodes[0].name = "joint";
    return mellow::choose_joints(scene, {}).value().skeleton.size() == 1 ? 0 : 2;
}
