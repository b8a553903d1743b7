#include "plain_text.h"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <png.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>

#include "support.h"

namespace mellow::test {
namespace {

using nlohmann::json;
using Numbers = std::vector<double>;

std::string number(double v) { return fmt::format("{:.7g}", v == 0 ? 0 : v); }

/// All numbers where they are few; else how many, between what, and two sums.
std::string told(const Numbers& numbers) {
    std::vector<std::string> words;
    if (numbers.size() <= 16) {
        for (const double v : numbers) words.push_back(number(v));
        return fmt::format("[{}]", fmt::join(words, " "));
    }
    double sums[2] = {}, state = 0.5;
    for (const double v : numbers)
        for (double& sum : sums) {
            state = std::fmod(state * 997.0 + 0.618, 1.0);  // a share of its own
            sum += (2 * state - 1) * v;
        }
    const double many = std::sqrt(static_cast<double>(numbers.size()));
    const auto [least, most] = std::ranges::minmax(numbers);
    return fmt::format("{} numbers {} to {}, sums {} {}", numbers.size(), number(least),
                       number(most), number(sums[0] / many), number(sums[1] / many));
}

// ---- glTF 2.0 --------------------------------------------------------------------------------

struct Gltf {
    json doc;
    std::vector<std::string> buffers;
};

std::string unpacked(const std::string& base64) {
    const std::string digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    unsigned bits = 0, have = 0;
    for (const char c : base64) {
        const std::size_t digit = digits.find(c);
        if (digit == digits.npos) break;
        bits = bits << 6 | static_cast<unsigned>(digit);
        if ((have += 6) >= 8) out += static_cast<char>(bits >> (have -= 8) & 255);
    }
    return out;
}

Gltf opened(const std::filesystem::path& path) {
    const std::string bytes = read_text(path);
    Gltf file;
    std::string chunk;
    if (path.extension() == ".glb") {
        std::uint32_t length = 0;
        std::memcpy(&length, bytes.data() + 12, 4);
        file.doc = json::parse(bytes.substr(20, length));
        if (bytes.size() > 28 + length) chunk = bytes.substr(28 + length);
    } else {
        file.doc = json::parse(bytes);
    }
    for (const json& buffer : file.doc.value("buffers", json::array())) {
        const std::string uri = buffer.value("uri", "");
        file.buffers.push_back(uri.empty()                ? chunk
                               : uri.starts_with("data:") ? unpacked(uri.substr(uri.find(',') + 1))
                                                          : read_text(path.parent_path() / uri));
    }
    return file;
}

template <class T>
double component(const char* at) {
    T value{};
    std::memcpy(&value, at, sizeof value);
    return static_cast<double>(value);
}

/// The numbers of an accessor (3.6.2); not those of sparse ones, which nobody here writes.
std::string accessor(const Gltf& file, std::size_t index) {
    const json& a = file.doc["accessors"][index];
    const int type = a["componentType"];
    const std::map<std::string, std::size_t> widths{
        {"SCALAR", 1}, {"VEC2", 2}, {"VEC3", 3}, {"VEC4", 4}, {"MAT4", 16}};
    const std::size_t width = widths.at(a["type"]), count = a["count"];
    const std::size_t size = type <= 5121 ? 1 : type <= 5123 ? 2 : 4;
    Numbers out(width * count);
    if (a.contains("bufferView")) {
        const json& view = file.doc["bufferViews"][a["bufferView"].get<std::size_t>()];
        const std::string& bytes = file.buffers[view["buffer"].get<std::size_t>()];
        const std::size_t stride = view.value("byteStride", size * width);
        const std::size_t start = view.value("byteOffset", 0U) + a.value("byteOffset", 0U);
        for (std::size_t i = 0; i < out.size(); ++i) {
            const char* from = bytes.data() + start + i / width * stride + i % width * size;
            out[i] = type == 5120   ? component<std::int8_t>(from)
                     : type == 5121 ? component<std::uint8_t>(from)
                     : type == 5122 ? component<std::int16_t>(from)
                     : type == 5123 ? component<std::uint16_t>(from)
                     : type == 5125 ? component<std::uint32_t>(from)
                                    : component<float>(from);
        }
    }
    std::string kind = fmt::format("{}{}{}", a["type"].get<std::string>(), type,
                                   a.value("normalized", false) ? "n" : "");
    for (const char* bound : {"min", "max"})
        if (a.contains(bound)) kind += fmt::format(" {} {}", bound, a[bound].dump());
    return fmt::format("{} {}", kind, told(out));
}

/// Numbers of accessors in the place of their indices.
json filled(const Gltf& file, json part) {
    const auto fill = [&](json& at) {
        if (at.is_number_unsigned()) at = accessor(file, at);
    };
    for (const char* key : {"attributes", "targets"})
        if (part.contains(key))
            for (auto& [name, at] : part[key].items()) {
                if (at.is_object())
                    for (auto& [inner, index] : at.items()) fill(index);
                else
                    fill(at);
            }
    for (const char* key : {"indices", "inverseBindMatrices", "input", "output"})
        if (part.contains(key)) fill(part[key]);
    return part;
}

std::string gltf_text(const std::filesystem::path& path) {
    const Gltf file = opened(path);
    std::string out;
    for (const auto& [key, value] : file.doc.items()) {
        if (key == "accessors" || key == "bufferViews" || key == "buffers") continue;
        if (!value.is_array()) {
            out += fmt::format("{} {}\n", key, value.dump());
            continue;
        }
        for (std::size_t i = 0; i < value.size(); ++i) {
            json part = filled(file, value[i]);
            std::string below;
            for (const char* list : {"primitives", "channels"}) {
                if (!part.contains(list)) continue;
                for (json one : part[list]) {
                    if (one.contains("sampler"))
                        one["sampler"] = filled(file, part["samplers"][one["sampler"].get<int>()]);
                    below += "  " + filled(file, one).dump() + "\n";
                }
                part.erase(list);
            }
            if (part.contains("samplers")) {
                for (const json& sampler : part["samplers"])
                    if (below.find(filled(file, sampler).dump()) == below.npos)  // of a scalar
                        below += "  " + filled(file, sampler).dump() + "\n";
                part.erase("samplers");
            }
            out += fmt::format("{} {} {}\n{}", key, i, part.dump(), below);
        }
    }
    return out;
}

// ---- others ----------------------------------------------------------------------------------

/// The mean colours of 24 x 15 parts.
std::string png_text(const std::filesystem::path& path) {
    constexpr unsigned kWide = 24, kHigh = 15;
    const std::string bytes = read_text(path);
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    if (png_image_begin_read_from_memory(&image, bytes.data(), bytes.size()) == 0) return "no PNG";
    image.format = PNG_FORMAT_RGB;
    std::vector<std::uint8_t> pixels(PNG_IMAGE_SIZE(image));
    png_image_finish_read(&image, nullptr, pixels.data(), 0, nullptr);
    std::vector<std::array<double, 4>> parts(std::size_t{kWide} * kHigh);
    for (unsigned y = 0; y < image.height; ++y)
        for (unsigned x = 0; x < image.width; ++x) {
            auto& part =
                parts[std::size_t{y * kHigh / image.height} * kWide + x * kWide / image.width];
            for (std::size_t c = 0; c < 3; ++c)
                part[c] += pixels[3 * (std::size_t{y} * image.width + x) + c];
            ++part[3];
        }
    std::string out = fmt::format("{} x {} pixels\n", image.width, image.height);
    for (unsigned y = 0; y < kHigh; ++y) {
        out += "colours";
        for (unsigned x = 0; x < kWide; ++x) {
            const auto& part = parts[std::size_t{y} * kWide + x];
            for (std::size_t c = 0; c < 3; ++c)
                out +=
                    fmt::format("{}{:.0f}", c == 0 ? "  " : " ", part[c] / std::max(part[3], 1.0));
        }
        out += "\n";
    }
    return out;
}

/// Numbers of a line; what is between them goes to `words`.
Numbers numbers_of(const std::string& line, std::string* words = nullptr) {
    Numbers out;
    for (std::size_t i = 0; i < line.size();) {
        const bool sign = line[i] == '-' || line[i] == '+';
        const auto digit = [&](std::size_t k) {
            return k < line.size() && line[k] >= '0' && line[k] <= '9';
        };
        if (digit(i) || (sign && digit(i + 1))) {
            std::size_t end = i + (sign ? 1 : 0);
            while (digit(end)) ++end;
            if (end + 1 < line.size() && line[end] == '.' && digit(end + 1))
                for (++end; digit(end);) ++end;
            const bool signed_power =
                end + 2 < line.size() && (line[end + 1] == '-' || line[end + 1] == '+');
            if (end < line.size() && line[end] == 'e' && digit(end + (signed_power ? 2 : 1)))
                for (end += 2; digit(end);) ++end;
            out.push_back(std::strtod(line.substr(i, end - i).c_str(), nullptr));
            if (words != nullptr) *words += '#';
            i = end;
        } else {
            if (words != nullptr) *words += line[i];
            ++i;
        }
    }
    return out;
}

/// How a long line begins, its numbers, and a sum of what is between them.
std::string summed(const std::string& line) {
    std::string words;
    const Numbers numbers = numbers_of(line, &words);
    std::uint32_t sum = 2166136261;
    for (const char c : words) sum = (sum ^ static_cast<unsigned char>(c)) * 16777619;  // FNV-1a
    return fmt::format("{} ... words x{:x}, {}", line.substr(0, 120), sum, told(numbers));
}

/// Short lines as they are; the numbers of long ones, and of all behind the first few hundred.
std::string lines_text(const std::string& text) {
    std::string out;
    std::istringstream in(text);
    Numbers rest;
    int count = 0, more = 0;
    for (std::string line; std::getline(in, line); ++count) {
        if (count < 300 && line.size() < 400)
            out += line + "\n";
        else if (count < 300)
            out += summed(line) + "\n";
        else
            ++more, std::ranges::copy(numbers_of(line), std::back_inserter(rest));
    }
    if (more > 0) out += fmt::format("... {} more lines: {}\n", more, told(rest));
    return out;
}

/// Sums of bytes say the same as the bytes, which are compared, and sizes of packed pictures hang
/// on who packs them: both are taken out.
void take_out_sums(json& part) {
    if (part.is_string()) {
        const std::string& text = part.get_ref<const std::string&>();
        if (text.size() == 16 && text.find_first_not_of("0123456789abcdef") == text.npos)
            part = "HASH";
    }
    if (part.is_object() && part.contains("bytes") && part.value("file", "").ends_with(".png"))
        part["bytes"] = "N";
    if (part.is_structured())
        for (json& inner : part) take_out_sums(inner);
}

}  // namespace

std::string plain_text(const std::filesystem::path& file) {
    const std::string kind = file.extension().string();
    if (kind == ".glb" || kind == ".gltf") return gltf_text(file);
    if (kind == ".png") return png_text(file);
    const std::string text = read_text(file);
    if (kind == ".bin") return fmt::format("{} bytes\n", text.size());
    if (kind == ".json") {
        json doc = json::parse(text);
        take_out_sums(doc);
        return doc.dump(1) + "\n";
    }
    return lines_text(text);
}

namespace {

/// Words and numbers of a line; the numbers may be off a little.
bool alike(const std::string& a, const std::string& b) {
    if (a == b) return true;
    std::string words_a, words_b;
    const Numbers x = numbers_of(a, &words_a), y = numbers_of(b, &words_b);
    const double off = a.starts_with("colours") ? 2 : 1e-5;
    if (words_a != words_b) return false;
    return std::ranges::equal(x, y, [&](double m, double n) {
        return std::abs(m - n) <= off * std::max(1.0, std::abs(m) * 1e-5 / off);
    });
}

std::vector<std::string> lines_of(const std::string& text) {
    std::vector<std::string> lines;
    std::istringstream in(text);
    for (std::string line; std::getline(in, line);) lines.push_back(line);
    return lines;
}

}  // namespace

std::string different_lines(const std::string& wanted, const std::string& there, int most) {
    const std::vector<std::string> a = lines_of(wanted), b = lines_of(there);
    std::string out, place;
    int said = 0;
    std::size_t i = 0, j = 0;
    const auto say = [&](char sign, const std::string& line) {
        if (said == 0 || said++ < most)
            out += fmt::format("{} {}\n", sign, line.substr(0, 600)), said = std::max(said, 1);
    };
    while (i < a.size() || j < b.size()) {
        if (i < a.size() && j < b.size() && alike(a[i], b[j])) {
            if (a[i].starts_with("== ") || a[i].starts_with("$ ")) place = a[i];
            ++i, ++j;
            continue;
        }
        if (said == 0) out = place + "\n";
        // The nearest line on which both meet again.
        std::size_t step = 1, x = i, y = j;
        for (bool met = false; !met && step < 60; ++step)
            for (std::size_t k = 0; k <= step && !met; ++k)
                if (i + k < a.size() && j + step - k < b.size() && alike(a[i + k], b[j + step - k]))
                    met = true, x = i + k, y = j + step - k;
        if (x == i && y == j) x = std::min(i + 1, a.size()), y = std::min(j + 1, b.size());
        for (; i < x; ++i) say('-', a[i]);
        for (; j < y; ++j) say('+', b[j]);
    }
    return out;
}

}  // namespace mellow::test
