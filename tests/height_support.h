// height_support.h - one step kind alone on a made-up height picture.
#pragma once
#include "height_pictures.h"
#include "support.h"

namespace support
{

inline image::Capture heightCapture(image::Picture heights)
{
    std::vector<image::Picture> all;
    all.push_back(std::move(heights));
    return {"test", std::move(all)};
}
inline inspect::PictureResult runOn(const recipe::Recipe& r, const image::Capture& capture)
{
    auto prepared = inspect::Prepared::make(r);
    if (!prepared) qFatal("%s", prepared.error().text().c_str());
    return inspect::evaluate(*prepared, capture);
}
// Of the last step.
inline const std::vector<double>& list(const inspect::PictureResult& r, const std::string& output)
{
    static const std::vector<double> none;
    const auto* o = r.items.front().steps.back()->output(output);
    return o ? o->values : none;
}
inline bool fails(const inspect::PictureResult& r, const char* words)
{
    const auto& s = *r.items.front().steps.back();
    const bool said = QString::fromStdString(s.reason).contains(QString::fromUtf8(words));
    if (s.state == inspect::State::Ok || !said) qWarning("%s", s.reason.c_str());
    return s.state != inspect::State::Ok && said;
}
// A person's stroke or frame on the picture: what the kind would offer.
inline std::vector<recipe::Offer> offers(const std::string& kind, const image::Capture& capture, recipe::Gesture g,
                                         const std::map<std::string, recipe::Feature>& features = {})
{
    recipe::OfferInput in{capture, 1, false, 0, features};
    return recipe::findKind(kind)->offer(g, in);
}
inline recipe::Gesture stroke(geometry::Point from, geometry::Point to)
{
    recipe::Gesture g;
    g.from = from, g.to = to;
    return g;
}
inline recipe::Gesture frame(geometry::Point from, geometry::Point to)
{
    recipe::Gesture g = stroke(from, to);
    g.type = recipe::Gesture::Type::Area;
    return g;
}
constexpr double kGone = std::numeric_limits<double>::quiet_NaN();

} // namespace support
