// Mellow Crate: rigged animation baked to its deform joints and packed for a game engine, proven.
//
// This header brings in all others. It is also the order of calls, from the shortest way to the
// single steps; each header says the rest.
//
// 1. A whole job, as the tool does it. A recipe says source, rig, target, clips and travel:
//
//        #include <mellow/mellow.h>
//        #include <cstdio>
//
//        mellow::Status job() {
//            MELLOW_TRY(const mellow::Recipe recipe, mellow::read_recipe("hero.recipe.toml"));
//            MELLOW_TRY(const mellow::PackReport report, mellow::pack(recipe));
//            for (const mellow::PackedClip& clip : report.clips)
//                std::printf("%s: %d samples, worst joint %g mm\n", clip.clip.name.c_str(),
//                            clip.clip.samples, clip.proof.position_mm.worst);
//            MELLOW_TRY(const mellow::Crate crate, mellow::open_crate(report.folder));
//            std::printf("%zu clips in %s\n", crate.clips.size(), report.folder.c_str());
//            return {};
//        }
//
//        int main() {
//            const mellow::Status done = job();
//            for (const mellow::Finding& finding : done.failures())
//                std::fprintf(stderr, "%s\n", mellow::to_text(finding).c_str());
//            return done ? 0 : 1;
//        }
//
// 2. One timeline of one file, samples in memory, with or without a rig sheet: bake_file().
//
// 3. Step by step:
//    read_scene()       a file as it is, with findings                          read.h
//    take_stock()       what is inside and what looks wrong                     stock.h
//    to_inside()        into metres, +Y up, +Z front: keys, meshes, binds       scene.h
//    Rig::bind()        a rig sheet and what moves it, ready to evaluate        rig.h
//    choose_joints()    which nodes become joints                               bake.h
//    plan_range()       where the samples of a range stand                      shape.h
//    join(), mirror()   takes made of takes: parts, repeats, mirrors, loops      shaping.h
//    match_figures()    which joints of two bodies are alike                    figure_map.h
//    Carrier            motion of one body, carried over to another             retarget.h
//    bake()             the samples                                             bake.h
//    extract_travel()   ground travel, height, heading onto the root            travel.h
//    assemble_skin(), assemble_clip()   scenes as an engine takes them          fit.h
//    write_glb(), write_collada(), write_bvh()                                  write.h
//    prove_clip()       what was written against what it came from              prove.h
//
// Conventions, once for all: lengths in metres, times in seconds, angles in radians, unless a name
// ends in another unit; quaternions x y z w; column vectors; world = parent * local. Failures are
// values (result.h); nothing throws across these calls.
#pragma once

#include "mellow/bake.h"
#include "mellow/bake_file.h"
#include "mellow/check.h"
#include "mellow/compare.h"
#include "mellow/convert_file.h"
#include "mellow/crate.h"
#include "mellow/draft.h"
#include "mellow/figure_map.h"
#include "mellow/fit.h"
#include "mellow/joint_fit.h"
#include "mellow/joint_map.h"
#include "mellow/lift.h"
#include "mellow/manifest.h"
#include "mellow/motion_check.h"
#include "mellow/motion_table.h"
#include "mellow/motion_text.h"
#include "mellow/pack.h"
#include "mellow/page.h"
#include "mellow/pictures.h"
#include "mellow/play.h"
#include "mellow/prove.h"
#include "mellow/read.h"
#include "mellow/recipe.h"
#include "mellow/retarget.h"
#include "mellow/rig.h"
#include "mellow/rig_stock.h"
#include "mellow/shape.h"
#include "mellow/shaping.h"
#include "mellow/share.h"
#include "mellow/sheet.h"
#include "mellow/states.h"
#include "mellow/stock.h"
#include "mellow/take.h"
#include "mellow/target.h"
#include "mellow/travel.h"
#include "mellow/value_curve.h"
#include "mellow/write.h"
#include "mellow/write_crate.h"
