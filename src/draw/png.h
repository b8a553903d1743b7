// Pixels as a PNG file.
#pragma once

#include <cstdint>
#include <vector>

namespace mellow {

/// A PNG of 24-bit pixels. `pixels` are rows of 0x00RRGGBB in the order of the machine, `stride`
/// bytes from row to row. Rows stand unfiltered and lightly compressed: pictures here are flat
/// areas and words, where filters and long searches cost three times as much and save a tenth.
/// The same pixels give the same bytes. Throws std::runtime_error when libpng gives up.
std::vector<std::uint8_t> encode_png(const std::uint8_t* pixels, int width, int height, int stride);

}  // namespace mellow
