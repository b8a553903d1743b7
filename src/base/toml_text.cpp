#include "base/toml_text.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

namespace mellow {
namespace {

/// How many bytes from `at` on are one character of UTF-8; 0 where they are none.
std::size_t character_at(const std::string& text, std::size_t at) {
    const auto byte = [&](std::size_t i) {
        return at + i < text.size() ? static_cast<unsigned char>(text[at + i]) : 0U;
    };
    const unsigned lead = byte(0);
    const std::size_t size = lead < 0x80                   ? 1
                             : lead >= 0xc2 && lead < 0xe0 ? 2
                             : lead >= 0xe0 && lead < 0xf0 ? 3
                             : lead >= 0xf0 && lead < 0xf5 ? 4
                                                           : 0;
    for (std::size_t i = 1; i < size; ++i)
        if ((byte(i) & 0xc0U) != 0x80) return 0;
    // Longer than need be, surrogates, beyond the last character.
    if ((lead == 0xe0 && byte(1) < 0xa0) || (lead == 0xed && byte(1) > 0x9f) ||
        (lead == 0xf0 && byte(1) < 0x90) || (lead == 0xf4 && byte(1) > 0x8f))
        return 0;
    return size;
}

/// `text` with each control character as `control` words it.
template <class Control>
std::string in_toml(const std::string& text, Control&& control) {
    std::string out;
    for (std::size_t at = 0; at < text.size();) {
        const std::size_t size = character_at(text, at);
        const auto byte = static_cast<unsigned char>(text[at]);
        if (size == 0)
            out += "\xef\xbf\xbd";
        else if (size == 1)
            out += control(byte);
        else
            out += text.substr(at, size);
        at += std::max<std::size_t>(size, 1);
    }
    return out;
}

bool is_control(unsigned char c) { return c < 0x20 || c == 0x7f; }

}  // namespace

std::string toml_text(const std::string& text) {
    return "\"" +
           in_toml(text,
                   [](unsigned char c) {
                       return is_control(c)           ? fmt::format("\\u{:04X}", c)
                              : c == '"' || c == '\\' ? fmt::format("\\{:c}", c)
                                                      : std::string(1, static_cast<char>(c));
                   }) +
           "\"";
}

std::string toml_comment(const std::string& text) {
    return in_toml(text, [](unsigned char c) {
        return std::string(1, is_control(c) ? ' ' : static_cast<char>(c));
    });
}

std::string toml_texts(const std::vector<std::string>& texts) {
    std::vector<std::string> quoted;
    for (const std::string& text : texts) quoted.push_back(toml_text(text));
    return fmt::format("[{}]", fmt::join(quoted, ", "));
}

}  // namespace mellow
