// capture.h - the pictures of one trigger as one value: they lie on each other, pixel for pixel.
//
// Input   pictures of one size, each under the name the recipe gives it; a recipe that names none has one, named "".
// Output  views for measuring. Grey levels stay 0 to 255 (image.h); a height is a type of its own, in mm, and a place
//         that was not measured is missing, never 0.
// Fails   NotFound: no picture of this name, naming those that are there; InvalidArgument: heights where light is asked
//         for, or the other way round.
#pragma once
#include "base/result.h"
#include "image/image.h"

#include <cmath>
#include <optional>
#include <span>

namespace image
{

enum class Content { Grey, Colour, Height };

// What the steps of a height picture mean. mm = offset + step × raw.
struct HeightScale {
    double mmPerStep = 1, offsetMm = 0;
    double pixelMm = 0;            // a pixel's side; 0: not known. Of a point cloud the pitch of its raster
    std::optional<double> missing; // this raw value says that nothing was measured; NaN always does
    // Of a point cloud: the centre of the raster's upper left cell and its size; 0: as large as the points need.
    struct Raster {
        double leftMm = 0, topMm = 0;
        int width = 0, height = 0;
        friend bool operator==(const Raster&, const Raster&) = default;
    };
    Raster raster{};
    friend bool operator==(const HeightScale&, const HeightScale&) = default;
};

// Heights of 16 bit or float samples. visit() hands out the typed view of the raw samples.
struct HeightView {
    const void* data = nullptr;
    int width = 0, height = 0;
    std::ptrdiff_t stride = 0; // in samples
    bool real = false;         // float samples
    HeightScale scale;

    template <class F> decltype(auto) visit(F&& f) const
    {
        if (real) return f(View<float>{static_cast<const float*>(data), width, height, stride});
        return f(View<std::uint16_t>{static_cast<const std::uint16_t*>(data), width, height, stride});
    }
    double raw(int x, int y) const
    {
        return visit([&](auto v) { return double(v.at(x, y)); });
    }
    bool missing(int x, int y) const
    {
        const double r = raw(x, y);
        return std::isnan(r) || (scale.missing && r == *scale.missing);
    }
    double mm(int x, int y) const { return scale.offsetMm + scale.mmPerStep * raw(x, y); }
};

struct Joined; // tiles.h

struct Picture {
    std::string key; // as the recipe names it
    Content content = Content::Grey;
    Image pixels;                            // as they came
    Image greyed;                            // of colour: for measuring; of float heights: for showing
    std::optional<HeightScale> scale;        // of heights
    std::shared_ptr<const std::string> file; // as it came, to be kept; none when it never was a file
    std::string fileName;                    // of the file, without its folder
    std::shared_ptr<const Joined> joined;    // of tiles: where each lies, and which are missing

    const Image& levels() const { return greyed.empty() ? pixels : greyed; }
    // Of heights: the raw steps, of float heights something to look at; nothing is measured in it.
    GreyView grey() const { return levels().grey(); }
    HeightView heights() const; // only of heights
};
// `key` of a picture as it came; grey for measuring is made of colour. Float samples are heights in mm.
Picture makePicture(Image pixels, std::string key = {});
// 16 bit or float samples as heights of this scale.
Picture makeHeights(Image pixels, const HeightScale& scale, std::string key = {});

// Immutable and shared.
class Capture
{
public:
    Capture() = default;
    // All pictures have the first one's size.
    Capture(std::string id, std::vector<Picture> pictures) : m_id(std::move(id)), m_pictures(std::move(pictures)) {}
    const std::string& id() const { return m_id; } // of the trigger; stands in every error's `where`
    Capture renamed(std::string id) && { return {std::move(id), std::move(m_pictures)}; }

    std::span<const Picture> pictures() const { return m_pictures; }
    bool empty() const { return m_pictures.empty(); }
    static const Picture& none();                      // a picture without pixels
    const Picture& first() const;                      // none() when there is none
    const Picture* find(const std::string& key) const; // "": the first; null: there is none
    base::Result<GreyView> grey(const std::string& key = {}) const;
    base::Result<HeightView> height(const std::string& key = {}) const;
    int width() const { return first().pixels.width(); }
    int rows() const { return first().pixels.height(); }
    std::size_t byteCount() const;
    std::string keys() const; // "white, dome", for people

private:
    base::Result<const Picture*> wanted(const std::string& key) const;
    std::string m_id;
    std::vector<Picture> m_pictures;
};
// One picture.
Capture makeCapture(Image picture, std::string id);

} // namespace image
