#include "base/kernel.h"
#include "model/lanes.h"
#include "rig/rules.h"

namespace mellow {
namespace {

Vec3 column_lengths(const Affine& m) { return {length(m.x), length(m.y), length(m.z)}; }
Vec3 divide(Vec3 a, Vec3 b) {
    const auto safe = [](double v) { return std::abs(v) > 1e-12 ? v : 1.0; };
    return {a.x / safe(b.x), a.y / safe(b.y), a.z / safe(b.z)};
}

MELLOW_KERNEL void follow_kernel(const BoundFollow& r, const double* source, const double* parent,
                                 double* local) {
#pragma GCC ivdep
    for (int f = 0; f < kF; ++f) {
        const Affine s = load_affine(source, f), p = load_affine(parent, f);
        if (r.position) store3(local, f, apply(inverse(p), apply(s, r.offset_position)));
        if (r.orientation)
            store4(local + 3 * kF, f,
                   conjugate(orientation(p)) * (orientation(s) * r.offset_orientation));
        if (r.scale)
            store3(local + 7 * kF, f,
                   divide(column_lengths(s) * r.offset_scale, column_lengths(p)));
    }
}

}  // namespace

BoundFollow bind_follow(const FollowRule& rule, int node, int source, const Scene& scene,
                        const std::vector<Affine>& rest) {
    BoundFollow bound{node,
                      source,
                      scene.nodes[static_cast<std::size_t>(node)].parent,
                      rule.position,
                      rule.orientation,
                      rule.scale,
                      {},
                      {},
                      {1, 1, 1}};
    if (rule.keep_offset) {
        const Affine& s = rest[static_cast<std::size_t>(source)];
        const Affine& n = rest[static_cast<std::size_t>(node)];
        bound.offset_position = apply(inverse(s), n.o);
        bound.offset_orientation = conjugate(orientation(s)) * orientation(n);
        bound.offset_scale = divide(column_lengths(n), column_lengths(s));
    }
    return bound;
}

void run(const BoundFollow& rule, PoseTile& tile) {
    // A node without parent is followed in the world; its row of identity matrices stands after the
    // nodes of the scene (see Rig::source).
    follow_kernel(rule, tile.channel(rule.source, PoseTile::kWorld),
                  tile.channel(rule.parent, PoseTile::kWorld),
                  tile.channel(rule.node, PoseTile::kLocal));
}

}  // namespace mellow
