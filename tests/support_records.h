// support_records.h - what tests of records and of the line share.
#pragma once
#include "records/record_log.h"
#include "support.h"

namespace support
{

// A bar whose width is 60 px, and the sizes of what is dark.
inline recipe::Recipe recipeOf(double high = 61)
{
    recipe::Recipe r;
    r.name = "Bar, \"wide\"";
    recipe::Step s = recipe::makeStep(r, *recipe::findKind("edge_pair"));
    s.regions["window"] = geometry::Region::window({5, 30}, {115, 30}, 9);
    s.checks[0].limits.low = 59, s.checks[0].limits.high = high, s.checks[0].limits.unit = base::Unit::Pixel;
    r.steps.push_back(s);
    recipe::Step b = recipe::makeStep(r, *recipe::findKind("blobs"));
    recipe::Check sizes;
    sizes.output = "areas", sizes.name = "Sizes", sizes.balloon = 2;
    b.checks = {sizes};
    r.steps.push_back(b);
    return r;
}
inline image::Image barPicture(bool empty = false, double width = 60)
{
    return empty ? support::draw({}, 120, 60)
                 : support::draw({support::box(60 - width / 2, 5, 60 + width / 2, 55)}, 120, 60);
}
inline inspect::PictureResult resultOf(const recipe::Recipe& r, const std::string& name = "bar.png", bool empty = false)
{
    return inspect::evaluate(*inspect::Prepared::make(r), support::captureOf(barPicture(empty), name));
}

inline std::shared_ptr<const records::Release> released(const recipe::Recipe& r, const std::string& by = "A. Person")
{
    return *records::release(std::make_shared<const inspect::Prepared>(*inspect::Prepared::make(r)), by);
}
inline records::Entry entryOf(const std::shared_ptr<const records::Release>& release,
                              const inspect::PictureResult& result, const std::string& batch = {})
{
    records::Entry e;
    e.release = release;
    e.result = std::make_shared<const inspect::PictureResult>(result);
    e.at = records::nowUtc();
    e.batch = batch;
    return e;
}
// Logs one picture's items; their ids.
inline base::Result<std::vector<long long>> logOne(records::RecordLog& log, const recipe::Recipe& r,
                                                   const inspect::PictureResult& result, const std::string& batch = {})
{
    auto ids = log.append({entryOf(released(r), result, batch)});
    if (!ids) return base::passOn(ids.error());
    return ids->front();
}

} // namespace support
