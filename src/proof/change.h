// change.h - what a line does to a picture, in growing strength: light, blur, noise, place, dirt, lost lines.
//
// Input   a capture, a change by its key, how strong (in the change's unit), a seed.
// Output  the capture as the camera would have given it: what lies before the lens is changed first (place, dirt), then
//         blur, then light, then noise, which grows with the signal; then what files and cables do. All pictures of a
//         capture are changed alike; heights take what concerns their place only. The same seed gives the same picture.
// Fails   nothing: a key that is not known changes nothing.
// Source  noise against signal: a constant part and one that grows as the root of the level (EMVA 1288, 3.1: linear
//         camera model). What the blur takes of the picture's own noise is put back.
// Cost    5 to 40 ns a pixel.
#pragma once
#include "image/capture.h"
#include "recipe/recipe.h"

#include <span>

namespace proof
{

struct ChangeKind {
    const char *key, *label, *unit, *help;
    double usual; // how far it is expected to go when nobody says otherwise
    bool colour;  // of colour pictures only
    bool light;   // nothing that heights know
    bool sided;   // goes to one side or the other: the lowest bit of the seed says to which
};
std::span<const ChangeKind> changeKinds();
const ChangeKind* findChange(const std::string& key);
// How far it is expected to go under this recipe; 0: it does not happen.
double expectedOf(const recipe::Recipe& recipe, const ChangeKind& kind);
// Those that are expected at all and mean something for these pictures.
std::vector<const ChangeKind*> changesFor(const recipe::Recipe& recipe, const image::Capture& capture);

image::Capture changed(const image::Capture& capture, const std::string& key, double strength, std::uint64_t seed);
// The same picture with other pixels.
image::Picture redrawn(const image::Picture& like, image::Image pixels);
// "darker 14 %", "blur 1.2 px"
std::string said(const ChangeKind& kind, double strength);

} // namespace proof
