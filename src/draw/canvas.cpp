#include "draw/canvas.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <utility>

#include "draw/png.h"

namespace mellow {
namespace {

struct PngInput {
    std::span<const std::uint8_t> bytes;
    std::size_t at;
};

cairo_status_t read_png(void* closure, unsigned char* into, unsigned int length) {
    auto* input = static_cast<PngInput*>(closure);
    if (length > input->bytes.size() - input->at) return CAIRO_STATUS_READ_ERROR;
    std::memcpy(into, input->bytes.data() + input->at, length);
    input->at += length;
    return CAIRO_STATUS_SUCCESS;
}

}  // namespace

Canvas::Canvas(int width, int height, Color background)
    : surface_(cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, height)),
      cr_(cairo_create(surface_)) {
    cairo_set_source_rgb(cr_, background.r, background.g, background.b);
    cairo_paint(cr_);
}

Canvas::~Canvas() {
    cairo_destroy(cr_);
    cairo_surface_destroy(surface_);
}

void Canvas::line(double x0, double y0, double x1, double y1, Color color, double width) {
    cairo_set_source_rgb(cr_, color.r, color.g, color.b);
    cairo_set_line_width(cr_, width);
    cairo_move_to(cr_, x0, y0);
    cairo_line_to(cr_, x1, y1);
    cairo_stroke(cr_);
}

void Canvas::picture(double x, double y, const Raster& raster) {
    if (raster.pixels.empty()) return;
    // Rows of 32-bit pixels need no padding; the surface only looks at them.
    std::vector<std::uint32_t> pixels = raster.pixels;
    cairo_surface_t* surface = cairo_image_surface_create_for_data(
        reinterpret_cast<unsigned char*>(pixels.data()), CAIRO_FORMAT_ARGB32, raster.width,
        raster.height, 4 * raster.width);
    cairo_set_source_surface(cr_, surface, std::round(x), std::round(y));
    cairo_paint(cr_);
    cairo_surface_destroy(surface);
}

void Canvas::rectangle(double x, double y, double w, double h, Color color) {
    cairo_set_source_rgb(cr_, color.r, color.g, color.b);
    cairo_rectangle(cr_, x, y, w, h);
    cairo_fill(cr_);
}

void Canvas::dot(double x, double y, double radius, Color color) {
    cairo_set_source_rgb(cr_, color.r, color.g, color.b);
    cairo_arc(cr_, x, y, radius, 0, 6.283185307179586);
    cairo_fill(cr_);
}

void Canvas::text(double x, double y, const std::string& words, Color color, double size,
                  Align align, bool bold) {
    cairo_select_font_face(cr_, "DejaVu Sans", CAIRO_FONT_SLANT_NORMAL,
                           bold ? CAIRO_FONT_WEIGHT_BOLD : CAIRO_FONT_WEIGHT_NORMAL);
    cairo_set_font_size(cr_, size);
    cairo_text_extents_t extents;
    cairo_text_extents(cr_, words.c_str(), &extents);
    const double shift = align == Align::kLeft     ? 0
                         : align == Align::kCenter ? extents.x_advance / 2
                                                   : extents.x_advance;
    cairo_set_source_rgb(cr_, color.r, color.g, color.b);
    cairo_move_to(cr_, x - shift, y);
    cairo_show_text(cr_, words.c_str());
}

void Canvas::clip(double x, double y, double w, double h) {
    cairo_save(cr_);
    cairo_rectangle(cr_, x, y, w, h);
    cairo_clip(cr_);
}

void Canvas::unclip() { cairo_restore(cr_); }

std::vector<std::uint8_t> Canvas::png() const {
    cairo_surface_flush(surface_);
    return encode_png(
        cairo_image_surface_get_data(surface_), cairo_image_surface_get_width(surface_),
        cairo_image_surface_get_height(surface_), cairo_image_surface_get_stride(surface_));
}

Texture::Texture(std::span<const std::uint8_t> png) {
    PngInput input{png, 0};
    surface_ = cairo_image_surface_create_from_png_stream(read_png, &input);
    const auto format = cairo_image_surface_get_format(surface_);
    const bool plain = format == CAIRO_FORMAT_RGB24 || format == CAIRO_FORMAT_ARGB32;
    if (cairo_surface_status(surface_) != CAIRO_STATUS_SUCCESS || !plain) {
        cairo_surface_destroy(surface_);
        surface_ = nullptr;
    }
}

Texture::~Texture() {
    if (surface_ != nullptr) cairo_surface_destroy(surface_);
}

Texture::Texture(Texture&& other) noexcept : surface_(std::exchange(other.surface_, nullptr)) {}

Color Texture::at(double u, double v) const {
    if (surface_ == nullptr) return {1, 1, 1};
    const int w = cairo_image_surface_get_width(surface_),
              h = cairo_image_surface_get_height(surface_);
    const int x = std::clamp(static_cast<int>((u - std::floor(u)) * w), 0, w - 1);
    const int y = std::clamp(static_cast<int>((v - std::floor(v)) * h), 0, h - 1);
    std::uint32_t pixel = 0;
    std::memcpy(&pixel,
                cairo_image_surface_get_data(surface_) +
                    y * cairo_image_surface_get_stride(surface_) + 4 * x,
                4);
    return {(pixel >> 16 & 255) / 255.0, (pixel >> 8 & 255) / 255.0, (pixel & 255) / 255.0};
}

}  // namespace mellow
