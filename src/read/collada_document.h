// A COLLADA file opened: elements by local name, id and sid, numbers from their text, one error.
#pragma once

#include <optional>
#include <pugixml.hpp>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "mellow/read.h"

namespace mellow {

/// The name of an element without a namespace prefix.
std::string_view local_name(pugi::xml_node node);
/// The first child element of that local name, or an empty node.
pugi::xml_node child(pugi::xml_node node, std::string_view name);
/// All child elements of that local name, or all child elements.
std::vector<pugi::xml_node> children(pugi::xml_node node, std::string_view name = {});
/// The text of a member of an element's <extra>, of any profile or only of ours; empty without.
std::string extra_of(pugi::xml_node node, std::string_view member, bool only_ours);
/// All the text of an element, trimmed.
std::string text_of(pugi::xml_node node);

/// A <source> with numbers: `count` elements of `width` numbers each, tightly.
struct ColladaArray {
    std::vector<double> values;
    std::size_t count = 0, width = 0;
};

class ColladaDocument {
  public:
    ColladaDocument(std::string file, const LoadFile& load_file, const ReadLimits& read_limits)
        : load(load_file), limits(read_limits), file_(std::move(file)) {}

    /// Parses in place; the document keeps the bytes.
    void open(Bytes bytes);
    pugi::xml_node root() const { return root_; }

    /// What "#id" or "id" names, of the local name `kind` unless that is empty. Empty, with a
    /// finding, for what is in other files or missing.
    pugi::xml_node target(std::string_view reference, std::string_view kind, pugi::xml_node from);
    pugi::xml_node by_id(std::string_view id) const;
    /// The element of that sid below `top`, nearest level first.
    static pugi::xml_node by_sid(pugi::xml_node top, std::string_view sid);

    /// All numbers of the element's text; fails on what is none, or not finite.
    std::vector<double> numbers(pugi::xml_node node);
    std::vector<std::int64_t> whole_numbers(pugi::xml_node node);
    /// The words of a Name_array or IDREF_array that a <source> holds.
    std::vector<std::string> names(pugi::xml_node source);
    /// The numbers of a <source>; checks its accessor against its array.
    ColladaArray array(pugi::xml_node source);
    /// The <source> of the <input> with that semantic, or an empty node.
    pugi::xml_node input(pugi::xml_node parent, std::string_view semantic);

    Place where(pugi::xml_node node) const;
    void fail(Code code, pugi::xml_node node, std::string found, std::string expected,
              std::string remedy = {});
    void note(Code code, Severity severity, pugi::xml_node node, std::string found,
              std::string expected, std::string remedy, std::vector<Edit> edits = {});
    bool failed() const { return error_.has_value(); }
    const Finding& error() const { return *error_; }

    Findings findings;
    const LoadFile& load;
    const ReadLimits& limits;

  private:
    void index(pugi::xml_node top);
    std::size_t line_of(std::size_t offset) const;

    std::string file_;
    bool commas_said_ = false;
    Bytes bytes_;
    pugi::xml_document document_;
    pugi::xml_node root_;
    std::unordered_map<std::string_view, pugi::xml_node> ids_;
    std::optional<Finding> error_;
    mutable std::vector<std::size_t> lines_;  ///< where each line begins; filled when first needed
};

}  // namespace mellow
