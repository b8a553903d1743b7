#include "read/collada_document.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <utility>

#include "base/number.h"

namespace mellow {
namespace {

bool is_space(char c) { return c == ' ' || c == '\n' || c == '\t' || c == '\r'; }

bool is_text(pugi::xml_node node) {
    return node.type() == pugi::node_pcdata || node.type() == pugi::node_cdata;
}

/// Calls `use` with the pieces of text of an element: comments may cut it.
template <class Use>
void each_text(pugi::xml_node node, Use use) {
    for (const pugi::xml_node piece : node)
        if (is_text(piece)) use(std::string_view(piece.value()));
}

template <class Use>
void each_word(pugi::xml_node node, Use use) {
    each_text(node, [&](std::string_view text) {
        std::size_t at = 0;
        while (true) {
            while (at < text.size() && is_space(text[at])) ++at;
            if (at == text.size()) return;
            const std::size_t from = at;
            while (at < text.size() && !is_space(text[at])) ++at;
            use(text.substr(from, at - from));
        }
    });
}

/// Where a character stands. Mostly few and far apart: memchr is faster than looking at each byte.
std::vector<std::size_t> places_of(const Bytes& bytes, char c) {
    std::vector<std::size_t> places;
    const std::uint8_t *p = bytes.data(), *const end = p + bytes.size();
    while (p != end) {
        const auto left = static_cast<std::size_t>(end - p);
        p = static_cast<const std::uint8_t*>(std::memchr(p, c, left));
        if (p == nullptr) break;
        places.push_back(static_cast<std::size_t>(p - bytes.data()));
        ++p;
    }
    return places;
}

/// Numbers take at least a digit and a space: never more of them than half the text.
std::size_t most_words(pugi::xml_node node) {
    std::size_t size = 0;
    each_text(node, [&](std::string_view text) { size += text.size() / 2 + 1; });
    return size;
}

}  // namespace

std::string_view local_name(pugi::xml_node node) {
    const std::string_view name = node.name();
    const std::size_t colon = name.find(':');
    return colon == std::string_view::npos ? name : name.substr(colon + 1);
}

pugi::xml_node child(pugi::xml_node node, std::string_view name) {
    for (const pugi::xml_node c : node)
        if (local_name(c) == name) return c;
    return {};
}

std::vector<pugi::xml_node> children(pugi::xml_node node, std::string_view name) {
    std::vector<pugi::xml_node> out;
    for (const pugi::xml_node c : node)
        if (c.type() == pugi::node_element && (name.empty() || local_name(c) == name))
            out.push_back(c);
    return out;
}

std::string text_of(pugi::xml_node node) {
    std::string text;
    each_text(node, [&](std::string_view piece) { text += piece; });
    while (!text.empty() && is_space(text.back())) text.pop_back();
    const auto start = std::find_if_not(text.begin(), text.end(), is_space);
    return {start, text.end()};
}

std::string extra_of(pugi::xml_node node, std::string_view member, bool only_ours) {
    for (const pugi::xml_node extra : children(node, "extra"))
        for (const pugi::xml_node technique : children(extra, "technique"))
            if (!only_ours ||
                std::string_view(technique.attribute("profile").value()) == "mellow_crate")
                if (const pugi::xml_node found = child(technique, member)) return text_of(found);
    return {};
}

void ColladaDocument::open(Bytes bytes) {
    bytes_ = std::move(bytes);
    const std::size_t elements = places_of(bytes_, '<').size();
    if (elements > limits.xml_elements)
        return fail(Code::kLimit, {}, fmt::format("about {} elements", elements),
                    fmt::format("at most {}", limits.xml_elements));
    const auto parsed = document_.load_buffer_inplace(
        bytes_.data(), bytes_.size(),
        pugi::parse_cdata | pugi::parse_escapes | pugi::parse_doctype);
    if (!parsed) {
        const auto offset = std::min(static_cast<std::size_t>(parsed.offset), bytes_.size());
        const auto line =
            1 +
            std::count(bytes_.begin(), bytes_.begin() + static_cast<std::ptrdiff_t>(offset), '\n');
        error_ =
            Finding{Code::kColladaBroken,   Severity::kStop,
                    Place::in(file_, line), parsed.description(),
                    "well-formed XML",      "the file is cut short or damaged; write it again"};
        return;
    }
    std::size_t entities = 0;
    for (const pugi::xml_node top : document_) {
        const std::string_view type = top.type() == pugi::node_doctype ? top.value() : "";
        for (std::size_t at = 0; (at = type.find("<!ENTITY", at)) != std::string_view::npos; ++at)
            ++entities;
        if (entities > limits.xml_entities)
            return fail(Code::kLimit, top, "a document type that declares entities",
                        "no entities: COLLADA needs none, and they can make a small file huge",
                        "remove the DOCTYPE from the file");
    }
    root_ = child(document_, "COLLADA");
    if (!root_)
        return fail(Code::kColladaBroken, document_.document_element(),
                    fmt::format("the element \"{}\"", document_.document_element().name()),
                    "COLLADA");
    const std::string version = root_.attribute("version").value();
    if (!version.starts_with("1.4") && !version.starts_with("1.5"))
        note(Code::kAssumed, Severity::kWarning, root_,
             version.empty() ? "no version" : "version " + version, "1.4 or 1.5",
             "it was read as 1.4.1");
    index(root_);
}

void ColladaDocument::index(pugi::xml_node top) {
    // Depth first without recursion: nesting is bounded by nothing yet.
    std::size_t depth = 0;
    for (pugi::xml_node n = top; n;) {
        if (depth > limits.depth + 32)
            return fail(Code::kLimit, n, fmt::format("elements in over {} levels", limits.depth),
                        "flatter nesting");
        if (const char* id = n.attribute("id").value(); *id != '\0')
            if (!ids_.emplace(id, n).second)
                note(Code::kAssumed, Severity::kNote, n, fmt::format("the id \"{}\" again", id),
                     "each id once", "the first one counts");
        if (n.first_child()) {
            n = n.first_child(), ++depth;
            continue;
        }
        while (n && n != top && !n.next_sibling()) n = n.parent(), --depth;
        if (!n || n == top) return;
        n = n.next_sibling();
    }
}

pugi::xml_node ColladaDocument::by_id(std::string_view id) const {
    const auto found = ids_.find(id);
    return found == ids_.end() ? pugi::xml_node() : found->second;
}

pugi::xml_node ColladaDocument::by_sid(pugi::xml_node top, std::string_view sid) {
    std::vector<pugi::xml_node> level{top}, below;
    while (!level.empty()) {
        below.clear();
        for (const pugi::xml_node n : level)
            for (const pugi::xml_node c : n) {
                if (sid == c.attribute("sid").value()) return c;
                if (c.first_child()) below.push_back(c);
            }
        std::swap(level, below);
    }
    return {};
}

pugi::xml_node ColladaDocument::target(std::string_view reference, std::string_view kind,
                                       pugi::xml_node from) {
    if (reference.empty()) return {};
    if (reference[0] != '#' && reference.find('#') != std::string_view::npos) {
        note(Code::kLeftOut, Severity::kWarning, from,
             fmt::format("a reference into another file: {}", reference), "everything in one file",
             "merge the files before they are read");
        return {};
    }
    const pugi::xml_node found = by_id(reference[0] == '#' ? reference.substr(1) : reference);
    if (!found || (!kind.empty() && local_name(found) != kind)) {
        note(Code::kColladaReference, Severity::kWarning, from,
             found ? fmt::format("\"{}\" is a <{}>", reference, local_name(found))
                   : fmt::format("\"{}\" is nowhere in the file", reference),
             fmt::format("the id of a <{}>", kind.empty() ? "target" : kind),
             "what needs it was left out; mend the file");
        return {};
    }
    return found;
}

namespace {

/// A number with one decimal comma, in a text that has no point: locales write files like that.
bool comma_number(std::string_view text, std::string_view word, double& value) {
    if (word.size() > 60 || std::count(word.begin(), word.end(), ',') != 1 ||
        text.find('.') != text.npos)
        return false;
    std::string pointed(word);
    const auto comma = pointed.find(',');
    const auto digit = [&](std::size_t i) {
        return i < pointed.size() && pointed[i] >= '0' && pointed[i] <= '9';
    };
    if (comma == 0 || !digit(comma - 1) || !digit(comma + 1)) return false;
    pointed[comma] = '.';
    const char *p = pointed.data(), *const end = p + pointed.size();
    return parse_number(p, end, value) && p == end && std::isfinite(value);
}

}  // namespace

std::vector<double> ColladaDocument::numbers(pugi::xml_node node) {
    std::vector<double> out;
    // What the file declares, where there is room for it; else a guess.
    const std::size_t most = most_words(node);
    out.reserve(std::min<std::size_t>(node.attribute("count").as_ullong(most / 4), most));
    each_text(node, [&](std::string_view text) {
        const char *p = text.data(), *const end = p + text.size();
        while (!failed()) {
            while (p != end && is_space(*p)) ++p;
            if (p == end) return;
            double value = 0;
            const char* const from = p;
            if (parse_number(p, end, value) && (p == end || is_space(*p)) && std::isfinite(value)) {
                out.push_back(value);
                continue;
            }
            const char* const word_end = std::find_if(from, end, is_space);
            if (comma_number(text, {from, word_end}, value)) {
                if (!std::exchange(commas_said_, true))
                    note(Code::kAssumed, Severity::kWarning, node,
                         fmt::format("decimal commas, \"{}\"", std::string_view(from, word_end)),
                         "points for decimals; in a list without any point a comma was taken for "
                         "one",
                         "write the file again in a locale with points");
                out.push_back(value);
                p = word_end;
                continue;
            }
            const char* stop = std::min(word_end, from + 40);
            fail(Code::kNumberBad, node,
                 fmt::format("\"{}\" as number {}", std::string_view(from, stop), out.size()),
                 "a finite number with a point for decimals");
        }
    });
    return out;
}

std::vector<std::int64_t> ColladaDocument::whole_numbers(pugi::xml_node node) {
    std::vector<std::int64_t> out;
    each_word(node, [&](std::string_view word) {
        if (failed()) return;
        std::int64_t value = 0;
        const auto [stop, code] = std::from_chars(word.data(), word.data() + word.size(), value);
        if (code != std::errc{} || stop != word.data() + word.size())
            return fail(Code::kNumberBad, node,
                        fmt::format("\"{}\" as number {}", word.substr(0, 40), out.size()),
                        "a whole number");
        out.push_back(value);
    });
    return out;
}

std::vector<std::string> ColladaDocument::names(pugi::xml_node source) {
    std::vector<std::string> out;
    for (const char* kind : {"Name_array", "IDREF_array", "SIDREF_array"})
        if (const pugi::xml_node list = child(source, kind))
            each_word(list, [&](std::string_view word) { out.emplace_back(word); });
    return out;
}

ColladaArray ColladaDocument::array(pugi::xml_node source) {
    ColladaArray out;
    pugi::xml_node list = child(source, "float_array");
    if (!list) list = child(source, "int_array");
    const pugi::xml_node accessor = child(child(source, "technique_common"), "accessor");
    // The numbers may stand in another source's array.
    if (const std::string_view from = accessor.attribute("source").value();
        from.size() > 1 && from[0] == '#')
        if (const pugi::xml_node other = by_id(from.substr(1));
            local_name(other).ends_with("_array"))
            list = other;
    std::vector<double> all = numbers(list);
    if (failed()) return out;
    const auto declared = list.attribute("count").as_ullong(all.size());
    if (list && declared != all.size())
        note(Code::kAssumed, Severity::kWarning, list,
             fmt::format("{} numbers where {} are declared", all.size(), declared),
             "as many as declared", "those that are there were read");
    // Members without a name are skipped, unless none has one.
    std::vector<std::size_t> taken;
    const auto params = children(accessor, "param");
    for (std::size_t i = 0; i < params.size(); ++i)
        if (*params[i].attribute("name").value() != '\0') taken.push_back(i);
    const std::size_t stride =
        accessor.attribute("stride").as_ullong(std::max<std::size_t>(1, params.size()));
    if (taken.empty())
        for (std::size_t i = 0; i < std::max(stride, params.size()) && i < 64; ++i)
            taken.push_back(i);
    // One parameter of a matrix type stands for the whole element.
    if (taken.size() == 1 && params.size() == 1 && stride > 1 && stride <= 64) {
        taken.clear();
        for (std::size_t i = 0; i < stride; ++i) taken.push_back(i);
    }
    const std::size_t offset = accessor.attribute("offset").as_ullong(0);
    out.width = taken.size();
    out.count = accessor.attribute("count").as_ullong(stride == 0 ? 0 : all.size() / stride);
    if (stride == 0 || taken.back() >= stride || offset > all.size() ||
        out.count > (all.size() - offset) / stride) {
        fail(Code::kColladaBroken, source,
             fmt::format("{} elements of {} numbers from {} on, of {} numbers", out.count, stride,
                         offset, all.size()),
             "an accessor that stays inside its array");
        return {};
    }
    if (offset == 0 && taken.size() == stride) {
        all.resize(out.count * stride);
        out.values = std::move(all);
        return out;
    }
    out.values.reserve(out.count * out.width);
    for (std::size_t i = 0; i < out.count; ++i)
        for (const std::size_t member : taken)
            out.values.push_back(all[offset + i * stride + member]);
    return out;
}

pugi::xml_node ColladaDocument::input(pugi::xml_node parent, std::string_view semantic) {
    for (const pugi::xml_node i : children(parent, "input"))
        if (semantic == i.attribute("semantic").value())
            return target(i.attribute("source").value(), "", i);
    return {};
}

std::size_t ColladaDocument::line_of(std::size_t offset) const {
    if (lines_.empty()) {
        lines_ = places_of(bytes_, '\n');
        lines_.insert(lines_.begin(), 0);
    }
    const auto next = std::upper_bound(lines_.begin(), lines_.end(), offset);
    return static_cast<std::size_t>(next - lines_.begin());
}

Place ColladaDocument::where(pugi::xml_node node) const {
    Place at = Place::in(file_);
    if (!node) return at;
    // Offsets are into our bytes only where the text was not re-encoded.
    const std::ptrdiff_t offset = node.offset_debug();
    if (offset > 0 && offset < static_cast<std::ptrdiff_t>(bytes_.size()) && !bytes_.empty() &&
        bytes_[0] != 0xFF && bytes_[0] != 0xFE && bytes_[0] != 0 &&
        !(bytes_.size() > 1 && bytes_[1] == 0))
        at.line = static_cast<int>(line_of(static_cast<std::size_t>(offset)));
    std::string name(local_name(node));
    for (pugi::xml_node n = node; n; n = n.parent())
        if (const std::string_view id = n.attribute("id").value(); !id.empty()) {
            name += n == node ? fmt::format(" \"{}\"", id)
                              : fmt::format(" in {} \"{}\"", local_name(n), id);
            break;
        }
    return at.at(name);
}

void ColladaDocument::fail(Code code, pugi::xml_node node, std::string found, std::string expected,
                           std::string remedy) {
    if (error_) return;
    if (remedy.empty()) remedy = "the file is damaged; write it again";
    error_ = Finding{code,
                     Severity::kStop,
                     where(node),
                     std::move(found),
                     std::move(expected),
                     std::move(remedy)};
}

void ColladaDocument::note(Code code, Severity severity, pugi::xml_node node, std::string found,
                           std::string expected, std::string remedy, std::vector<Edit> edits) {
    // A damaged file can say the same thousands of times.
    if (findings.size() < 100)
        findings.push_back({code, severity, where(node), std::move(found), std::move(expected),
                            std::move(remedy), std::move(edits)});
}

}  // namespace mellow
