// The same rig told in every convention, of both hands, and in four units moves the same. What a
// sheet says in a convention is worked out here, by the meaning of up, front and unit alone.
#include <fmt/format.h>

#include <algorithm>
#include <regex>
#include <set>

#include "base/at.h"
#include "mellow/recipe.h"
#include "rigs.h"
#include "told.h"

namespace mellow::sheet_conventions_test {
namespace {

using namespace test;

/// One thing of a sheet that depends on the convention:
///   @+Y  an axis   ?+Y  one that something turns about   $X  its letter   #2.5  a length   ~2  a
///   slope over a length   !2  one of a length
///   ^(1 2 3)  a way   %(1 2 3)  angles about the axes   &(1 2 3)  numbers that go with the axes
std::string tell(const std::string& token, const Told& told) {
    const auto list = [&](bool scaled, bool sign) {
        std::array<double, 3> v{};
        std::sscanf(token.c_str() + 2, "%lf %lf %lf", &v[0], &v[1], &v[2]);
        auto out = file_vector(told, v);
        if (token[0] == '%')
            for (double& c : out) c *= told.hand;
        for (double& c : out) c = (sign ? c : std::abs(c)) / (scaled ? told.unit : 1);
        return sign ? fmt::format("[{}, {}, {}]", out[0], out[1], out[2])
                    : fmt::format("[{:.0f}, {:.0f}, {:.0f}]", out[0], out[1], out[2]);
    };
    const double number = token.size() > 1 && token[0] != '@' && token[0] != '?' && token[0] != '$'
                              ? std::atof(token.c_str() + 1)
                              : 0;
    switch (token[0]) {
        case '@':
        case '?':
        case '$': {
            const char letter = token.back();
            std::array<double, 3> v{};
            v[at(letter - 'X')] = (token[1] == '-' ? -1 : 1) * (token[0] == '?' ? told.hand : 1);
            const auto out = file_vector(told, v);
            for (std::size_t c = 0; c < 3; ++c)
                if (out[c] != 0) {
                    const std::string name(1, static_cast<char>('X' + c));
                    return token[0] == '$' ? name : (out[c] > 0 ? "+" : "-") + name;
                }
            return "";
        }
        case '#':
        case '!':
            return fmt::format("{}", number / told.unit);
        case '~':
            return fmt::format("{}", number * told.unit);
        default:
            return list(token[0] == '^', token[0] != '&');
    }
}

const std::regex& tokens() {
    static const std::regex pattern(
        R"([@?][+-][XYZ]|\$[XYZ]|[#~!]-?[0-9.]+|[\^%&]\(-?[0-9.]+ -?[0-9.]+ -?[0-9.]+\))");
    return pattern;
}

/// The text with all its tokens told in a convention; but for one of them, which stays as inside.
std::string told_text(const std::string& text, const Told& told, int but = -1) {
    static const Told kInside = {
        {{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}, 1, Axis::kPlusY, Axis::kPlusZ};
    std::string out, rest = text;
    int count = 0;
    for (std::smatch m; std::regex_search(rest, m, tokens()); rest = m.suffix())
        out += m.prefix().str() + tell(m.str(), count++ == but ? kInside : told);
    return out + rest;
}

int count_tokens(const std::string& text) {
    return static_cast<int>(
        std::distance(std::sregex_iterator(text.begin(), text.end(), tokens()), {}));
}

/// A scene in which nothing is symmetric: turned and scaled rest poses, keys on everything that
/// rules read.
Scene workshop() {
    Scene scene;
    scene.rate = {24, 1};
    const Vec3 one{1, 1, 1};
    const int base =
        add_node(scene, "base", kNone, {{0.2, 0.9, -0.1}, turn({0.6, 0, 0.8}, 25), one});
    const int a =
        add_node(scene, "a", base, {{0.1, 0.1, 0.05}, turn({0, 0.6, 0.8}, 15), {1.2, 1.2, 1.2}});
    const int b = add_node(scene, "b", a, {{0.3, -0.4, 0.1}, turn({1, 0, 0}, 40), one});
    const int c = add_node(scene, "c", b, {{-0.1, -0.45, 0.2}, turn({0, 1, 0}, -30), one});
    add_node(scene, "d", c, {{0.05, -0.3, 0.15}, turn({0, 0, 1}, 20), one});
    const int g = add_node(scene, "goal", kNone, {{0.5, 0.1, 0.4}, turn({0.8, 0.6, 0}, 50), one});
    const int p = add_node(scene, "pole", kNone, {{0.9, 0.5, 1.1}, {}, one});
    const int s = add_node(scene, "source", kNone,
                           {{1.1, 1.3, -0.7}, turn({0, 0.8, 0.6}, 70), {1.5, 1.5, 1.5}});
    const int cart = add_node(scene, "cart", kNone, {{0.3, 0.2, 0.1}, turn({0, 1, 0}, 35), one});
    add_node(scene, "wheel", cart, {{0.4, 0.1, 0.2}, turn({1, 0, 0}, 10), one});
    const int n =
        add_node(scene, "n", s, {{0.25, -0.15, 0.35}, turn({0.6, 0.8, 0}, 33), {0.8, 1.1, 1.3}});
    const int mesh = add_node(scene, "mesh", kNone, {});
    scene.meshes.emplace_back();
    scene.meshes[0].target_names = {"wide"};
    scene.meshes[0].primitives.emplace_back().targets.resize(1);
    scene.nodes[at(mesh)].mesh = 0;
    const auto move = [&](int node, Vec3 by) {
        const Vec3 t = scene.nodes[at(node)].local.t;
        key(scene, node, Path::kTranslation, {t.x, t.y, t.z}, {t.x + by.x, t.y + by.y, t.z + by.z});
    };
    const auto spin = [&](int node, Vec3 axis, double degrees) {
        const Quat r = scene.nodes[at(node)].local.r;
        key_turn(scene, node, r, r * turn(axis, degrees));
    };
    move(base, {0.2, 0.1, 0.5}), spin(base, {0, 1, 0}, 40);
    spin(b, {0.6, 0.8, 0}, 60), spin(c, {0, 0.6, 0.8}, 35);
    move(g, {-0.3, 0.25, 0.45}), spin(g, {0.6, 0, 0.8}, 80);
    move(p, {0.1, 0.3, -0.2});
    move(s, {0.4, -0.35, 0.8}), spin(s, {0.8, 0, 0.6}, 65);
    move(cart, {0.5, 0.05, 1.4}), spin(cart, {0, 1, 0}, 30);
    move(n, {0.15, 0.3, -0.25}), spin(n, {0, 0.8, 0.6}, 75);
    key(scene, n, Path::kScale, {0.8, 1.1, 1.3}, {1.6, 0.9, 2.2});
    return scene;
}

struct Case {
    std::string name, text;
};
/// Every kind of rule with every key that it has.
std::vector<Case> sheets() {
    const std::string rule = "[[rule]]\n", input = "[[rule.input]]\n";
    const std::string scalar =
        "[[scalar]]\nname = \"x\"\nkeys = [[0, 0.2], [24, 0.9]]\nshape = \"smooth\"\nkeep = "
        "true\nunit = \"u\"\n[[scalar]]\nname = \"y\"\nvalue = 0.4\n";
    std::vector<Case> all{
        {"follow", rule + "kind = \"follow\"\nnode = \"n\"\nsource = \"goal\"\nparts = "
                          "[\"position\", \"orientation\", \"scale\"]\noffset = \"keep\"\n"},
        {"follow masked",
         scalar + rule +
             "kind = \"follow\"\nnode = \"n\"\nparts = [\"position.$X\", \"orientation.$Y\", "
             "\"scale.$Z\"]\nweight = \"x\"\n[[rule.source]]\nnode = \"goal\"\nweight = "
             "2\n[[rule.source]]\nnode = \"base\"\nweight = \"x\"\n"},
        {"follow two axes", rule + "kind = \"follow\"\nnode = \"n\"\nsource = \"goal\"\nparts = "
                                   "[\"orientation.$X\", \"orientation.$Z\"]\noffset = \"none\"\n"},
        {"aim", rule + "kind = \"aim\"\nnode = \"n\"\nsource = \"goal\"\naxis = \"@+Z\"\nup_axis = "
                       "\"@+X\"\nup = \"@+Y\"\noffset = \"keep\"\nweight = 0.7\n"},
        {"aim node", rule + "kind = \"aim\"\nnode = \"n\"\nsource = \"goal\"\naxis = "
                            "\"@-X\"\nup_axis = \"@+Z\"\nup_node = \"pole\"\noffset = \"none\"\n"},
        {"aim axis", rule + "kind = \"aim\"\nnode = \"n\"\nsource = \"goal\"\naxis = "
                            "\"@+Y\"\nup_axis = \"@-Z\"\nup = \"@+X\"\nup_node = \"base\"\n"},
        {"limb",
         rule + "kind = \"limb\"\nstart = \"a\"\nmid = \"b\"\nend = \"c\"\ngoal = \"goal\"\npole = "
                "\"pole\"\nstretch = 1.5\nsoft = 0.2\nweight = 0.8\nend_orientation = \"goal\"\n"},
        {"chain",
         rule +
             "kind = \"chain\"\njoints = [\"a\", \"b\", \"c\", \"d\"]\ngoal = \"goal\"\nlimit = "
             "70\ntolerance = 1e-7\niterations = 500\nweight = 0.9\nend_orientation = \"goal\"\n"},
        {"chain along", rule + "kind = \"chain\"\njoints = [\"a\", \"b\", \"c\", \"d\"]\nalong = "
                               "[\"base\", \"pole\", \"goal\"]\nlength = \"stretch\"\n"},
        {"twist", rule + "kind = \"twist\"\nsource = \"b\"\naxis = \"@-Y\"\n[[rule.share]]\nnode = "
                         "\"n\"\npart = 0.6\n[[rule.share]]\nnode = \"d\"\npart = -0.5\n"},
        {"limit twist", rule + "kind = \"limit\"\nnode = \"n\"\nof = \"twist\"\naxis = "
                               "\"?-Z\"\nleast = -5\nmost = 20\n"},
        {"limit swing",
         rule + "kind = \"limit\"\nnode = \"n\"\nof = \"swing\"\naxis = \"@+X\"\nmost = 20\n"},
        {"roll",
         rule + "kind = \"roll\"\nnode = \"wheel\"\naxis = \"?+X\"\nup = \"@+Y\"\nradius = #0.3\n"},
        {"lag", scalar + rule +
                    "kind = \"lag\"\nnode = \"n\"\nparts = [\"position\", "
                    "\"orientation\"]\nfrequency = 2\ndamping = 0.6\nrun_in = 1\nweight = \"x\"\n"},
        {"drive product", rule +
                              "kind = \"drive\"\nnode = \"n\"\nchannel = \"position\"\naxis = "
                              "\"@-Z\"\ncombine = \"product\"\n" +
                              input +
                              "of = \"distance\"\nnode = \"base\"\nto = \"goal\"\nshape = "
                              "\"slopes\"\ncurve = [[#0.2, !0.1, 0.9], [#1.9, !0.8, 0.3]]\n" +
                              input +
                              "of = \"world\"\nnode = \"source\"\naxis = \"@+Z\"\ncurve = [[#-1, "
                              "0.5], [#1, 1.5]]\n"},
        {"drive sum", rule +
                          "kind = \"drive\"\nnode = \"n\"\nchannel = \"position\"\naxis = "
                          "\"@+Y\"\ncombine = \"sum\"\n" +
                          input +
                          "of = \"position\"\nnode = \"goal\"\naxis = \"@-X\"\ncurve = [[#-0.5, "
                          "!0.1], [#0.5, !0.7]]\n" +
                          input +
                          "of = \"twist\"\nnode = \"b\"\naxis = \"?+Y\"\nshape = \"slopes\"\ncurve "
                          "= [[0, !0.1, !0.01], [90, !0.9, !0.02]]\n"},
        {"drive turn",
         scalar + rule + "kind = \"drive\"\nnode = \"n\"\nchannel = \"turn\"\naxis = \"?-X\"\n" +
             input + "of = \"swing\"\nnode = \"b\"\naxis = \"@+Z\"\ncurve = [[0, 0], [90, 120]]\n" +
             input + "of = \"scalar\"\nscalar = \"x\"\ncurve = [[0, 0.5], [1, 1]]\n"},
        {"drive scale",
         rule + "kind = \"drive\"\nnode = \"n\"\nchannel = \"scale\"\naxis = \"@-Y\"\n" + input +
             "of = \"world\"\nnode = \"goal\"\naxis = \"@-Y\"\nshape = \"slopes\"\ncurve = [[#-1, "
             "0.5, ~0.2], [#1, 2.5, ~0.9]]\n"},
        {"drive morph", rule + "kind = \"drive\"\nmesh = \"mesh\"\ntarget = \"wide\"\n" + input +
                            "of = \"distance\"\nnode = \"base\"\nto = \"goal\"\ncurve = [[#0.1, "
                            "0], [#2, 1]]\nshape = \"smooth\"\n"},
        {"drive scalar", scalar + rule + "kind = \"drive\"\nscalar = \"y\"\n" + input +
                             "of = \"position\"\nnode = \"source\"\naxis = \"@+Z\"\ncurve = "
                             "[[#0.2, 0], [#1, 5]]\n"},
    };
    // Bounds that hold the node whatever its keys are.
    for (const char* axis : {"@+X", "@-Y", "@+Z"})
        for (const char* bound : {"least = #2\n", "most = #-3\n"})
            for (const char* of : {"position", "world", "scale"}) {
                const bool scale = std::string(of) == "scale";
                const std::string limit = !scale            ? bound
                                          : bound[0] == 'l' ? "least = 2.5\n"
                                                            : "most = 0.5\n";
                all.push_back({fmt::format("limit {} {} {}", of, axis, limit),
                               rule + fmt::format("kind = \"limit\"\nnode = \"n\"\nof = \"{}\"\n"
                                                  "axis = \"{}\"\n{}",
                                                  of, axis, limit)});
            }
    return all;
}

/// Layers, as recipes write them.
std::vector<Case> layers() {
    return {
        {"offset",
         "kind = \"offset\"\nnodes = [\"n\", \"b\"]\naxis = \"?-Y\"\ndegrees = 30\nshift = ^(0.1 "
         "-0.2 0.3)\nweight = 0.6\n"},
        {"offset world",
         "kind = \"offset\"\nnodes = [\"n\"]\naxis = \"?+Z\"\nspace = \"world\"\ndegrees = "
         "-50\nweights = [[0, 0.1], [24, 1]]\nshape = \"smooth\"\n"},
        {"shake",
         "kind = \"shake\"\nnodes = [\"n\"]\ndegrees = %(10 -20 30)\nshift = ^(0.1 0.2 "
         "-0.3)\nfrequency = 3\nseeds = &(5 6 7)\n"},
        {"replace", "kind = \"replace\"\nnodes = [\"n\"]\nframe = 20\nweight = 0.5\n"},
    };
}

Performance playing(const std::vector<Layer>& over = {}) {
    Performance performance;
    performance.timeline = 0;
    performance.layers = over;
    return performance;
}

/// All that a sheet moves, as one row of numbers.
std::vector<double> played(const Scene& scene, const RigSheet& sheet,
                           const std::vector<Layer>& over = {}) {
    const auto rig = Rig::bind(scene, playing(over), sheet);
    EXPECT_THAT(rig, IsOk());
    if (!rig) return {};
    PoseTile tile = rig.value().source().make_tile();
    const std::vector<double> seconds{0.1, 0.35, 0.8};
    rig.value().evaluate(seconds, tile);
    std::vector<double> out;
    for (int f = 0; f < 3; ++f) {
        for (std::size_t n = 0; n < scene.nodes.size(); ++n) {
            const Affine w = tile.world(static_cast<int>(n), f);
            for (const Vec3 v : {w.x, w.y, w.z, w.o}) out.insert(out.end(), {v.x, v.y, v.z});
        }
        out.push_back(tile.scalar(0)[f]);
        for (std::size_t s = 0; s < sheet.scalars.size(); ++s)
            out.push_back(tile.scalar(1 + static_cast<int>(s))[f]);
    }
    return out;
}

double largest_difference(const std::vector<double>& a, const std::vector<double>& b) {
    double worst = a.size() == b.size() ? 0 : 1e9;
    for (std::size_t i = 0; i < std::min(a.size(), b.size()); ++i)
        worst = std::max(worst, std::abs(a[i] - b[i]));
    return worst;
}

Conversion inwards(const Told& told) { return {test::convention_of(told), {}}; }

std::vector<double> sheet_as_told(const Scene& scene, const std::string& text, const Told& told) {
    RigSheet sheet = test::sheet(text);
    convert(sheet, inwards(told));
    return played(scene, sheet);
}

std::vector<double> layer_as_told(const Scene& scene, const std::string& text, const Told& told) {
    const auto recipe = parse_recipe(
        "[source]\nfile = \"f\"\n[[clip]]\nname = \"c\"\nrange = [0, 1]\n"
        "[output]\nfolder = \"o\"\nname = \"o\"\n[[layer]]\n" +
            text,
        "told.recipe.toml", ".");
    EXPECT_THAT(recipe, IsOk()) << text;
    if (!recipe) return {};
    Layer layer = recipe.value().layers[0].layer;
    convert(layer, inwards(told));
    return played(scene, {}, {layer});
}

using Play = std::vector<double> (*)(const Scene&, const std::string&, const Told&);

void moves_the_same(const Case& c, Play play) {
    SCOPED_TRACE(c.name);
    const Scene scene = workshop();
    const std::vector<Told> conventions = all_conventions();
    ASSERT_EQ(conventions.size(), 120U);
    const Told inside{{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}}, 1, Axis::kPlusY, Axis::kPlusZ};
    const std::vector<double> wanted = play(scene, told_text(c.text, inside), inside);
    EXPECT_GT(largest_difference(wanted, played(scene, {})), 1e-3) << "it does something";
    // Every fourth of them, others from case to case.
    static std::size_t turn = 0;
    for (std::size_t k = turn++ % 4; k < conventions.size(); k += 4) {
        const Told& told = conventions[k];
        EXPECT_LT(largest_difference(play(scene, told_text(c.text, told), told), wanted), 2e-7)
            << to_text(test::convention_of(told)) << "\n"
            << told_text(c.text, told);
    }
    // Each thing that depends on the convention is seen: where it stays as it is inside, the motion
    // is another one, or the sheet is refused.
    for (int t = 0; t < count_tokens(c.text); ++t) {
        bool seen = false;
        for (std::size_t k = 5; k < conventions.size() && !seen; k += 31) {
            const std::string text = told_text(c.text, conventions[k], t);
            seen = (play == sheet_as_told && !parse_rig_sheet(text, "told").ok()) ||
                   largest_difference(play(scene, text, conventions[k]), wanted) > 1e-6;
        }
        EXPECT_TRUE(seen) << "number " << t << " of what depends on the convention";
    }
}

TEST(ToldTest, SheetsInAllConventionsMoveTheSame) {
    for (const Case& c : sheets()) moves_the_same(c, sheet_as_told);
}

TEST(ToldTest, LayersInAllConventionsMoveTheSame) {
    for (const Case& c : layers()) moves_the_same(c, layer_as_told);
}

/// Keys of a section of a document: the first column of its tables.
std::set<std::string> keys_of(const std::string& section) {
    std::set<std::string> keys;
    const std::regex row("\n\\| ([^|]*`[^|]*) \\|"),
        word("`(?:\\[\\[rule\\.)?([a-z_]+)(?:\\]\\])?`");
    for (std::sregex_iterator r(section.begin(), section.end(), row), end; r != end; ++r) {
        const std::string cell = (*r)[1];
        for (std::sregex_iterator w(cell.begin(), cell.end(), word); w != end; ++w)
            keys.insert((*w)[1]);
    }
    return keys;
}

TEST(ToldTest, EveryKeyOfEveryRuleIsTold) {
    const std::string docs =
        test::read_text(std::filesystem::path(MELLOW_SOURCE_DIR) / "docs" / "rig-sheet.md");
    const std::regex head("\n## `(\\[\\[)?([a-z]+)");
    int kinds = 0;
    for (std::sregex_iterator h(docs.begin(), docs.end(), head), end; h != end; ++h) {
        const std::string kind = (*h)[2];
        const auto from = static_cast<std::size_t>(h->position()) + 3;
        const std::string section = docs.substr(from, docs.find("\n## ", from) - from);
        std::string told;
        for (const Case& c : sheets())
            if (c.text.find("kind = \"" + kind + "\"") != c.text.npos || kind == "scalar")
                told += c.text;
        EXPECT_FALSE(told.empty()) << kind;
        for (const std::string& key : keys_of(section))
            EXPECT_TRUE(told.find("\n" + key + " = ") != told.npos ||
                        told.find("[[rule." + key + "]]") != told.npos)
                << kind << ": " << key;
        ++kinds;
    }
    EXPECT_EQ(kinds, 10) << "nine kinds of rules, and scalars";
}

}  // namespace
}  // namespace mellow::sheet_conventions_test
