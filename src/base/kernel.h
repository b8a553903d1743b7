// MELLOW_KERNEL marks a function whose inner loops run over the frames of a tile. It is compiled
// for the baseline and for x86-64-v3, and the machine picks at run time; -ffp-contract=off keeps
// the bits of both equal. Sanitizers and compilers without ifunc get the plain function.
//
// MELLOW_LANE marks a function that one lane of a kernel goes through: it must become part of the
// loop, or the loop is not turned into vector instructions.
#pragma once

#define MELLOW_LANE inline __attribute__((always_inline))

#if defined(__GNUC__) && !defined(__clang__) && defined(__x86_64__) && !defined(MELLOW_SANITIZED)
#define MELLOW_KERNEL __attribute__((noinline, target_clones("default", "arch=x86-64-v3")))
#else
#define MELLOW_KERNEL
#endif
