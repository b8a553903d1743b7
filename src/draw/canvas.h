// A thin layer over Cairo: a picture, colours, lines, words.
#pragma once

#include <cairo.h>

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "draw/raster.h"

namespace mellow {

enum class Align { kLeft, kCenter, kRight };

class Canvas {
  public:
    Canvas(int width, int height, Color background);
    ~Canvas();
    Canvas(const Canvas&) = delete;
    Canvas& operator=(const Canvas&) = delete;

    void line(double x0, double y0, double x1, double y1, Color color, double width = 1);
    /// Lays a picture over what is there, its upper left corner at x, y.
    void picture(double x, double y, const Raster& raster);
    void rectangle(double x, double y, double w, double h, Color color);
    void dot(double x, double y, double radius, Color color);
    void text(double x, double y, const std::string& words, Color color, double size = 12,
              Align align = Align::kLeft, bool bold = false);
    /// Draws only inside a rectangle until unclip().
    void clip(double x, double y, double w, double h);
    void unclip();
    std::vector<std::uint8_t> png() const;

  private:
    cairo_surface_t* surface_;
    cairo_t* cr_;
};

/// A decoded picture for looking up colours; white when it cannot be decoded.
class Texture {
  public:
    explicit Texture(std::span<const std::uint8_t> png);
    ~Texture();
    Texture(Texture&& other) noexcept;
    Texture(const Texture&) = delete;
    Color at(double u, double v) const;

  private:
    cairo_surface_t* surface_ = nullptr;
};

}  // namespace mellow
