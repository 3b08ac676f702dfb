// drawn_parts.h - parts that have a drawing, and pictures of them with exact outlines.
#pragma once
#include "demo/reed_plate.h"
#include "drawing/fit.h"

namespace demo
{

// Draws in mm, y up, on named layers.
class Pencil
{
public:
    explicit Pencil(std::string layer = "outline") { on(std::move(layer)); }
    Pencil& on(std::string layer);
    Pencil& line(drawing::DrawnPoint a, drawing::DrawnPoint b);
    Pencil& arc(drawing::DrawnPoint centre, double radius, double fromDegrees, double toDegrees);
    Pencil& circle(drawing::DrawnPoint centre, double radius);
    // A closed polygon whose corners are rounded by their radius, 0: sharp.
    Pencil& polygon(const std::vector<drawing::DrawnPoint>& corners, std::vector<double> radii);
    Pencil& box(double left, double bottom, double right, double top, double radius = 0);
    // A slot between two middles.
    Pencil& slot(drawing::DrawnPoint a, drawing::DrawnPoint b, double radius);
    drawing::Drawing done() const { return m_drawing; }

private:
    void add(drawing::Element e);
    drawing::Drawing m_drawing;
    int m_layer = 0;
};

constexpr int kDrawnParts = 12;
const char* drawnPartName(int n);
// Twelve different shapes, 20 to 60 mm large; 1, 2, 3, 5 and 10 look like themselves turned.
drawing::Drawing drawnPart(int n);

// The drawing's outlines as closed polygons in the picture, material and holes.
struct LaidOutlines {
    std::vector<std::vector<geometry::Point>> dark, holes;
};
LaidOutlines outlinesOf(const drawing::Outline& outline, const drawing::Laid& laid);

// Demo set 9: the plate's drawing plate.dxf and pictures of plates with it; truth beside them.
enum class PlateFault { None, Notch, Burr, Bevel, HoleOff, HoleOval, HoleMissing, Surplus, TooSmall };
const char* name(PlateFault fault);
drawing::Drawing plateDrawing();
base::Status writeDrawnPlates(const std::string& folder, std::uint64_t seed, int count, const Field& field = {});

} // namespace demo
