#include "draw/png.h"

#include <png.h>

#include <bit>
#include <stdexcept>

namespace mellow {
namespace {

void append(png_structp png, png_bytep from, std::size_t length) {
    auto* out = static_cast<std::vector<std::uint8_t>*>(png_get_io_ptr(png));
    out->insert(out->end(), from, from + length);
}

[[noreturn]] void give_up(png_structp, png_const_charp why) { throw std::runtime_error(why); }

}  // namespace

std::vector<std::uint8_t> encode_png(const std::uint8_t* pixels, int width, int height,
                                     int stride) {
    std::vector<std::uint8_t> out;
    png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, give_up, nullptr);
    png_infop info = png_create_info_struct(png);
    try {
        png_set_write_fn(png, &out, append, nullptr);
        png_set_IHDR(png, info, static_cast<png_uint_32>(width), static_cast<png_uint_32>(height),
                     8, PNG_COLOR_TYPE_RGB, PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT,
                     PNG_FILTER_TYPE_DEFAULT);
        png_set_filter(png, PNG_FILTER_TYPE_BASE, PNG_FILTER_NONE);
        png_set_compression_level(png, 3);
        png_write_info(png, info);
        const bool little = std::endian::native == std::endian::little;
        png_set_filler(png, 0, little ? PNG_FILLER_AFTER : PNG_FILLER_BEFORE);
        if (little) png_set_bgr(png);
        for (int y = 0; y < height; ++y)
            png_write_row(png, pixels + static_cast<std::ptrdiff_t>(y) * stride);
        png_write_end(png, info);
    } catch (...) {
        png_destroy_write_struct(&png, &info);
        throw;
    }
    png_destroy_write_struct(&png, &info);
    return out;
}

}  // namespace mellow
