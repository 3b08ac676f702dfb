#include "vision/lift.h"

#include "vision/height.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>

namespace vision
{
using geometry::HeightPlane;

namespace
{
constexpr float kNone = std::numeric_limits<float>::quiet_NaN();
constexpr std::size_t kGround = 160, kLeastGround = 30; // points its plane is laid through
constexpr int kCells = 6;                               // parts of the component, each way
constexpr int kCellSide = 5;                            // px at least
constexpr std::size_t kLeastCell = 8, kLeastPixels = 12;
constexpr double kLeastCovered = 0.5;

float heightAt(const Patch& p, std::size_t i) { return p.sees(i) ? p.level(i) : kNone; }

float medianOf(std::vector<float>& v)
{
    const auto middle = v.begin() + std::ptrdiff_t(v.size() / 2);
    std::nth_element(v.begin(), middle, v.end());
    if (v.size() % 2) return *middle;
    return (*middle + *std::max_element(v.begin(), middle)) / 2;
}

// How the ground lies against `usual`, in px of the box.
base::Result<HeightPlane> groundOf(const PatchBox& box, const std::vector<std::uint8_t>& of, const Patch& here,
                                   const std::vector<float>& usual)
{
    std::vector<std::size_t> there;
    for (std::size_t i = 0; i < box.count(); ++i)
        if (of[i] == UsualHeights::TheGround && here.sees(i) && !std::isnan(usual[i])) there.push_back(i);
    if (there.size() < kLeastGround)
        return base::fail(base::ErrorCode::NoResult,
                          "only " + std::to_string(there.size()) + " points of the ground round it have a height");
    std::vector<float> z(box.count(), kNone);
    std::vector<geometry::Span> where;
    const std::size_t each = std::max<std::size_t>(1, there.size() / kGround);
    for (std::size_t k = 0; k < there.size(); k += each) {
        const std::size_t i = there[k];
        const int x = int(i % std::size_t(box.width)), y = int(i / std::size_t(box.width));
        z[i] = here.level(i) - usual[i];
        where.push_back({y, x, x + 1});
    }
    image::HeightView view{z.data(), box.width, box.height, box.width, true, {}};
    auto fit = fitPlane(view, where);
    if (!fit) return base::passOn(fit.error());
    // A few find it, all that lie on it lay it.
    const HeightPlane near = fit->plane;
    const double reach = std::max(3 * fit->scale, 1e-6);
    const Eigen::Vector3d middle(0.5 * box.width, 0.5 * box.height, 0);
    Eigen::Matrix3d a = Eigen::Matrix3d::Zero();
    Eigen::Vector3d b = Eigen::Vector3d::Zero();
    for (const std::size_t i : there) {
        const double x = double(i % std::size_t(box.width)), y = double(i / std::size_t(box.width));
        const double off = double(here.level(i)) - double(usual[i]) - near.at(x, y);
        if (std::abs(off) > reach) continue;
        const Eigen::Vector3d row(1, x - middle.x(), y - middle.y());
        a += row * row.transpose(), b += off * row;
    }
    const Eigen::Vector3d more = a.ldlt().solve(b);
    if (!more.allFinite() || a(1, 1) < 1 || a(2, 2) < 1) return near;
    return HeightPlane{near.base + more(0) - more(1) * middle.x() - more(2) * middle.y(), near.right + more(1),
                       near.down + more(2), near.middle};
}
} // namespace

std::vector<std::uint8_t> UsualHeights::areas(const PatchBox& box, const std::vector<std::uint8_t>& component,
                                              const std::vector<std::uint8_t>& others, int gap)
{
    // Taken, or within the gap of what is: along rows, then along columns.
    const int w = box.width, h = box.height;
    std::vector<std::uint8_t> taken(box.count()), near(box.count());
    for (std::size_t i = 0; i < taken.size(); ++i) taken[i] = component[i] || (!others.empty() && others[i]);
    const auto spread = [gap](const std::uint8_t* from, std::uint8_t* to, int n, int step) {
        int last = -gap - 1;
        for (int k = 0; k < n; ++k) {
            if (from[k * step]) last = k;
            if (k - last <= gap) to[k * step] = 1;
        }
        last = n + gap;
        for (int k = n - 1; k >= 0; --k) {
            if (from[k * step]) last = k;
            if (last - k <= gap) to[k * step] = 1;
        }
    };
    for (int y = 0; y < h; ++y) spread(taken.data() + y * w, near.data() + y * w, w, 1);
    taken = near;
    for (int x = 0; x < w; ++x) spread(taken.data() + x, near.data() + x, h, w);
    std::vector<std::uint8_t> of(box.count());
    for (std::size_t i = 0; i < of.size(); ++i) of[i] = component[i] ? TheComponent : near[i] ? Neither : TheGround;
    return of;
}

base::Result<UsualHeights> UsualHeights::make(const std::vector<Sample>& good, std::vector<std::uint8_t> of,
                                              double mayLift)
{
    if (good.empty()) return base::fail(base::ErrorCode::NoResult, "no good part has heights");
    UsualHeights u;
    u.m_box = good.front().component.box;
    u.m_of = std::move(of), u.m_mayLift = mayLift;
    const std::size_t n = u.m_box.count();
    // Each as if its ground lay as that of the first.
    std::vector<float> first(n);
    for (std::size_t i = 0; i < n; ++i) first[i] = heightAt(good.front().ground, i);
    std::vector<HeightPlane> planes;
    std::vector<const Sample*> taken;
    for (const Sample& s : good) {
        if (!(s.component.box == u.m_box)) continue;
        const auto plane = groundOf(u.m_box, u.m_of, s.ground, first);
        if (!plane && &s == &good.front()) return base::passOn(plane.error());
        if (plane) planes.push_back(*plane), taken.push_back(&s);
    }
    u.m_samples = int(taken.size());
    u.m_component.assign(n, kNone), u.m_ground.assign(n, kNone);
    std::vector<float> room;
    for (std::size_t i = 0; i < n; ++i) {
        if (u.m_of[i] == Neither) continue;
        const double x = double(i % std::size_t(u.m_box.width)), y = double(i / std::size_t(u.m_box.width));
        room.clear();
        const bool component = u.m_of[i] == TheComponent;
        for (std::size_t k = 0; k < taken.size(); ++k)
            if (const float z = heightAt(component ? taken[k]->component : taken[k]->ground, i); !std::isnan(z))
                room.push_back(z - float(planes[k].at(x, y)));
        // Seen on one of many only: a reflection.
        if (room.empty() || 2 * room.size() < taken.size()) continue;
        (component ? u.m_component : u.m_ground)[i] = medianOf(room);
    }
    // Where it is steep, lying a little beside its place would look like a lift.
    const std::vector<float> all = u.m_component;
    std::size_t wanted = 0, level = 0;
    const int w = u.m_box.width, h = u.m_box.height;
    for (int y = 0; y < h; ++y)
        for (int x = 0; x < w; ++x) {
            const std::size_t i = std::size_t(y) * std::size_t(w) + std::size_t(x);
            if (u.m_of[i] != TheComponent) continue;
            ++wanted;
            float low = std::numeric_limits<float>::infinity(), high = -low;
            bool whole = x > 0 && y > 0 && x + 1 < w && y + 1 < h;
            for (int dy = -1; dy <= 1 && whole; ++dy)
                for (int dx = -1; dx <= 1 && whole; ++dx) {
                    const float z = all[std::size_t(y + dy) * std::size_t(w) + std::size_t(x + dx)];
                    whole = !std::isnan(z);
                    low = std::min(low, z), high = std::max(high, z);
                }
            if (!whole || double(high - low) > mayLift) u.m_component[i] = kNone;
            else ++level;
        }
    if (level < kLeastPixels)
        return base::fail(base::ErrorCode::NoResult, "only " + std::to_string(level) + " of its " +
                                                         std::to_string(wanted) + " pixels are level and have heights");
    for (const Sample* s : taken)
        if (const Lift own = u.look(*s); own.known) u.m_own.push_back(std::abs(own.most));
    return u;
}

UsualHeights::Lift UsualHeights::look(const Sample& here) const
{
    Lift lift;
    const auto plane = groundOf(m_box, m_of, here.ground, m_ground);
    if (!plane) {
        lift.why = plane.error().message;
        return lift;
    }
    lift.differences.assign(m_box.count(), kNone);
    int left = m_box.width, right = -1, top = m_box.height, bottom = -1;
    std::size_t wanted = 0, seen = 0;
    for (std::size_t i = 0; i < m_box.count(); ++i) {
        const int x = int(i % std::size_t(m_box.width)), y = int(i / std::size_t(m_box.width));
        const bool component = m_of[i] == TheComponent;
        const float usual = component ? m_component[i] : m_ground[i];
        if (std::isnan(usual)) continue;
        const float z = heightAt(component ? here.component : here.ground, i);
        if (component) {
            ++wanted, seen += !std::isnan(z);
            left = std::min(left, x), right = std::max(right, x), top = std::min(top, y), bottom = std::max(bottom, y);
        }
        lift.differences[i] = z - float(plane->at(x, y)) - usual;
    }
    lift.covered = wanted ? double(seen) / double(wanted) : 0;
    if (lift.covered < kLeastCovered) {
        lift.why = "only " + std::to_string(int(100 * lift.covered)) + " % of it have a height";
        return lift;
    }
    const int width = right - left + 1, height = bottom - top + 1;
    const int nx = std::clamp(width / kCellSide, 1, kCells), ny = std::clamp(height / kCellSide, 1, kCells);
    std::vector<float> room;
    int blind = 0;
    for (int cy = 0; cy < ny; ++cy)
        for (int cx = 0; cx < nx; ++cx) {
            const int x0 = left + width * cx / nx, x1 = left + width * (cx + 1) / nx;
            const int y0 = top + height * cy / ny, y1 = top + height * (cy + 1) / ny;
            room.clear();
            std::size_t usable = 0;
            for (int y = y0; y < y1; ++y)
                for (int x = x0; x < x1; ++x) {
                    const std::size_t i = std::size_t(y) * std::size_t(m_box.width) + std::size_t(x);
                    if (m_of[i] != TheComponent || std::isnan(m_component[i])) continue;
                    ++usable;
                    if (!std::isnan(lift.differences[i])) room.push_back(lift.differences[i]);
                }
            const std::size_t least = std::min(kLeastCell, wanted / 2);
            if (usable < least) continue;
            if (room.size() < least || 2 * room.size() < usable) {
                ++blind;
                continue;
            }
            lift.known = true;
            if (const double m = double(medianOf(room)); std::abs(m) > std::abs(lift.most))
                lift.most = m, lift.at = {m_box.left + (x0 + x1 - 1) / 2.0, m_box.top + (y0 + y1 - 1) / 2.0};
        }
    if (!lift.known) lift.why = "its heights are too scattered";
    else if (blind && std::abs(lift.most) <= m_mayLift) lift.known = false, lift.why = "a part of it has no heights";
    return lift;
}

} // namespace vision
