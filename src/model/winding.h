// The side of a surface that is its front: the winding of its triangles.
#pragma once

#include "mellow/scene.h"

namespace mellow {

/// Turns every triangle of a primitive over; its topology stays. Lists swap two corners, fans run
/// the other way, strips begin with their first corner doubled, or no longer doubled (glTF 2.0,
/// 3.7.2.1: every second triangle of a strip is turned over). What has no indices has its vertices
/// moved about. Twice gives the same primitive again. Points and lines have no winding.
void turn_over(Primitive& primitive);
/// Strips, fans and what has no indices become lists of triangles with indices; vertices and
/// winding stay. Points and lines stay what they are.
void make_triangles(Primitive& primitive);

}  // namespace mellow
