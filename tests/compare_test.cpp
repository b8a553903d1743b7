// Two scenes measured against each other: each difference has its line.
#include "mellow/compare.h"
#include "small_figure.h"
#include "support.h"

namespace mellow::compare_test {
namespace {

using namespace test;
using namespace testing;

TEST(ComparedTest, EachDifferenceHasItsLine) {
    const auto scene = [](const std::vector<Keyed>& keys) {
        return test::read_tiny(figure(keys)).value().scene;
    };
    const Keyed go{0, "translation", {0, 1}, {0, 1, 0, 0, 1, 1}};
    const auto aspects = [&](const Scene& a, const Scene& b, const CompareOptions& options = {}) {
        std::vector<std::string> names;
        for (const Difference& d : differences(compare_motion(a, b, options).value(), {}))
            names.emplace_back(name(d.aspect));
        return names;
    };
    const Scene a = scene({go});
    using Names = std::vector<std::string>;
    EXPECT_EQ(aspects(a, a), Names{});
    const Keyed grow{1, "scale", {0, 1}, {1, 1, 1, 1, 1.01, 1}};
    EXPECT_EQ(aspects(a, scene({go, grow})), (Names{"scales", "vertices"}));
    Scene renamed = a;
    renamed.nodes[1].name = "skull";
    EXPECT_EQ(aspects(a, renamed), Names{"joints"});
    Scene bare = a;
    bare.nodes[2].mesh = kNone;
    EXPECT_EQ(aspects(a, bare), Names{"meshes"});
    const Keyed later{0, "translation", {1, 2}, {0, 1, 0, 0, 1, 1}};
    EXPECT_EQ(aspects(a, scene({later})), (Names{"places", "vertices", "length"}));
    CompareOptions align;
    align.align_first_key = true;
    EXPECT_EQ(aspects(a, scene({later}), align), Names{});
    Scene loose = a;
    loose.nodes[1].parent = kNone;
    loose.nodes[1].local.t = {0, 1.5, 0};
    EXPECT_EQ(aspects(a, loose), (Names{"places", "vertices", "parents"}));
    EXPECT_THAT(differences(compare_motion(a, bare, {}).value(), {}, {Aspect::kMeshes}), IsEmpty());
}

}  // namespace
}  // namespace mellow::compare_test
