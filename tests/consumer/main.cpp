// Knows the installed package only: reads nothing, which it must say, and bakes nothing.
#include <mellow/mellow.h>

int main() {
    const auto read = mellow::read_scene("there-is-no-such-file.glb");
    if (read || read.failure().code != mellow::Code::kFileMissing) return 1;
    const auto baked = mellow::bake_file("there-is-no-such-file.glb");
    if (baked || baked.failures().size() != 1) return 2;
    const auto recipe = mellow::parse_recipe("[source]\n", "a.toml", ".");
    return !recipe && recipe.failures().size() == 3 ? 0 : 3;  // file, folder, a clip
}
