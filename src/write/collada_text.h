// Parts of the COLLADA writer: each appends its libraries to one text.
#pragma once

#include <fmt/format.h>

#include <map>
#include <set>
#include <string>
#include <vector>

#include "mellow/write.h"

namespace mellow {

/// `text` with the five characters that XML reserves written as entities, and without characters
/// that XML 1.0 cannot hold.
std::string xml_escaped(std::string_view text);
/// A name as an NCName (Namespaces in XML 1.0, section 3): what may not stand in one becomes "_".
std::string xml_name(std::string_view text);

/// Our own extra that holds a name which XML cannot; empty when it was written as it is.
std::string name_extra(const std::string& name, const std::string& written);

/// The text under construction and what its parts call each other.
struct ColladaText {
    const Scene& scene;
    const ColladaOptions& options;
    std::string text;
    Findings findings;
    std::vector<WrittenFile> files;  ///< pictures

    template <class... Args>
    void add(fmt::format_string<Args...> format, Args&&... args) {
        fmt::format_to(std::back_inserter(text), format, std::forward<Args>(args)...);
    }
    /// Nine digits: what a single-precision number needs.
    template <class Range>
    void numbers(const Range& values) {
        const char* space = "";
        for (const auto v : values) {
            fmt::format_to(std::back_inserter(text), "{}{:.9g}", space, static_cast<double>(v));
            space = " ";
        }
    }
    /// A <source> of floats with one parameter per letter or word of `params`.
    template <class Range>
    void source(const std::string& id, const Range& values, std::size_t width,
                std::initializer_list<const char*> params, const char* type = "float") {
        add("<source id=\"{0}\"><float_array id=\"{0}-array\" count=\"{1}\">", id, values.size());
        numbers(values);
        add("</float_array><technique_common><accessor source=\"#{}-array\" count=\"{}\" "
            "stride=\"{}\">",
            id, values.size() / width, width);
        for (const char* p : params) add("<param name=\"{}\" type=\"{}\"/>", p, type);
        add("</accessor></technique_common></source>\n");
    }
    void names_source(const std::string& id, const char* kind,
                      const std::vector<std::string>& names, const char* param, const char* type) {
        add("<source id=\"{0}\"><{1} id=\"{0}-array\" count=\"{2}\">{3}</{1}><technique_common>"
            "<accessor source=\"#{0}-array\" count=\"{2}\" stride=\"1\"><param name=\"{4}\" "
            "type=\"{5}\"/></accessor></technique_common></source>\n",
            id, kind, names.size(), fmt::join(names, " "), param, type);
    }
    void left_out(Place where, std::string found, std::string expected, std::string remedy) {
        findings.push_back({Code::kLeftOut, Severity::kWarning, std::move(where), std::move(found),
                            std::move(expected), std::move(remedy)});
    }

    // Ids, by index into the scene.
    std::string node_id(int n) const { return fmt::format("node{}", n); }
    std::string mesh_id(int m) const { return fmt::format("mesh{}", m); }
    std::string morph_id(int m) const { return fmt::format("mesh{}-morph", m); }
    std::string skin_id(int n) const { return fmt::format("node{}-skin", n); }
    /// What joints are called in the lists of skins: names made fit for XML, all different.
    std::vector<std::string> sids;
    EulerOrder order_of(int node) const;
};

/// 16 numbers, row after row.
std::array<double, 16> matrix_numbers(const Affine& m);

void write_collada_shapes(ColladaText& out);
void write_collada_motion(ColladaText& out);

}  // namespace mellow
