// The vector kernels give bit by bit what their plain twins give, over odd lengths and unaligned rows.
#include "demo/render.h"
#include "vision/simd/kernels.h"

#include <QtTest>

using namespace vision;

class SimdTest : public QObject
{
    Q_OBJECT
    demo::Random m_random{3};
    std::vector<std::uint8_t> bytes(std::size_t n, int below = 256)
    {
        std::vector<std::uint8_t> v(n);
        for (auto& b : v) b = std::uint8_t(m_random.below(below));
        return v;
    }
    static std::vector<int> lengths() { return {0, 1, 7, 15, 16, 31, 33, 63, 64, 65, 127, 130, 255, 511, 1000, 2449}; }
private slots:
    void rangesBecomeBits()
    {
        for (const int n : lengths())
            for (const std::size_t shift : {0u, 1u, 3u}) {
                const auto p = bytes(std::size_t(n) + 8);
                for (const auto& [low, high] : {std::pair{0, 255}, {100, 180}, {7, 7}, {255, 255}}) {
                    std::vector<std::uint64_t> a(std::size_t(n) / 64 + 2, 9), b(a);
                    simd::inRange(p.data() + shift, n, std::uint8_t(low), std::uint8_t(high), a.data());
                    simd::scalar::inRange(p.data() + shift, n, std::uint8_t(low), std::uint8_t(high), b.data());
                    QVERIFY(a == b);
                }
                std::vector<std::uint16_t> wide(std::size_t(n) + 4);
                for (auto& x : wide) x = std::uint16_t(m_random.bits());
                std::vector<std::uint64_t> a(std::size_t(n) / 64 + 2, 9), b(a);
                simd::inRange(wide.data() + shift, n, std::uint16_t(9000), std::uint16_t(50000), a.data());
                simd::scalar::inRange(wide.data() + shift, n, std::uint16_t(9000), std::uint16_t(50000), b.data());
                QVERIFY(a == b);
            }
    }
    void bytesAreCompared()
    {
        for (const int n : lengths()) {
            const auto p = bytes(std::size_t(n) + 64), q = bytes(std::size_t(n) + 64);
            std::vector<std::uint8_t> a(std::size_t(n) + 1, 3), b(a);
            for (const int least : {0, 20, 255}) {
                simd::differs(p.data() + 1, q.data(), n, std::uint8_t(least), a.data()),
                    simd::scalar::differs(p.data() + 1, q.data(), n, std::uint8_t(least), b.data());
                QVERIFY(a == b);
            }
            simd::lower(p.data() + 1, q.data(), n, a.data()), simd::scalar::lower(p.data() + 1, q.data(), n, b.data());
            QVERIFY(a == b);
            simd::higher(p.data() + 1, q.data(), n, a.data()),
                simd::scalar::higher(p.data() + 1, q.data(), n, b.data());
            QVERIFY(a == b);
            const std::uint8_t* rows[3] = {p.data() + 1, q.data(), p.data() + 2};
            for (const int count : {1, 2, 3}) {
                simd::lowestOf(rows, count, n, a.data()), simd::scalar::lowestOf(rows, count, n, b.data());
                QVERIFY(a == b);
                simd::highestOf(rows, count, n, a.data()), simd::scalar::highestOf(rows, count, n, b.data());
                QVERIFY(a == b);
            }
            std::vector<std::uint8_t> c(a.size(), 3), e(a.size(), 3);
            simd::lowestOfTwo(rows, 3, n, a.data(), c.data());
            simd::scalar::lowestOf(rows, 2, n, b.data()), simd::scalar::lowestOf(rows + 1, 2, n, e.data());
            QVERIFY(a == b && c == e);
            simd::highestOfTwo(rows, 3, n, a.data(), c.data());
            simd::scalar::highestOf(rows, 2, n, b.data()), simd::scalar::highestOf(rows + 1, 2, n, e.data());
            QVERIFY(a == b && c == e);
            for (const int window : {1, 2, 5, 25, 32}) {
                simd::lowest(p.data() + 1, n, window, a.data()),
                    simd::scalar::lowest(p.data() + 1, n, window, b.data());
                QVERIFY(a == b);
                simd::highest(p.data() + 1, n, window, a.data()),
                    simd::scalar::highest(p.data() + 1, n, window, b.data());
                QVERIFY(a == b);
            }
        }
    }
    void sumsAndMeans()
    {
        for (const int n : lengths()) {
            const auto in = bytes(std::size_t(n) + 3), out = bytes(std::size_t(n) + 3);
            std::vector<std::uint32_t> a(std::size_t(n) + 1, 70000), b(a);
            simd::slide(a.data(), in.data() + 1, out.data(), n),
                simd::scalar::slide(b.data(), in.data() + 1, out.data(), n);
            QVERIFY(a == b);
            std::vector<std::uint32_t> prefix(std::size_t(n) + 60, 0);
            for (std::size_t i = 1; i < prefix.size(); ++i)
                prefix[i] = prefix[i - 1] + std::uint32_t(m_random.below(255 * 9));
            std::vector<std::uint8_t> c(std::size_t(n) + 1, 3), d(c);
            for (const bool bright : {false, true}) {
                simd::below(in.data(), prefix.data(), 9, n, 81, bright ? 300 : -300, bright, c.data());
                simd::scalar::below(in.data(), prefix.data(), 9, n, 81, bright ? 300 : -300, bright, d.data());
                QVERIFY(c == d);
            }
        }
    }
    void patternSums()
    {
        for (const int n : lengths()) {
            std::vector<std::vector<std::uint8_t>> data;
            std::vector<const std::uint8_t*> rows;
            for (int j = 0; j < 62; ++j) data.push_back(bytes(std::size_t(n) + 2, 5));
            for (auto& d : data) rows.push_back(d.data() + 1);
            for (const int least : {0, 100, 140, 248}) {
                std::vector<std::uint8_t> a(std::size_t(n) + 1, 3), b(a);
                const bool any = simd::sumRows(rows.data(), 62, n, least, a.data());
                simd::scalar::sumRows(rows.data(), 62, n, b.data());
                bool reached = false;
                for (int i = 0; i < n; ++i) {
                    // Where the sum counts both agree; where it does not the quick one may have given up.
                    QVERIFY(b[std::size_t(i)] < least ? a[std::size_t(i)] <= b[std::size_t(i)]
                                                      : a[std::size_t(i)] == b[std::size_t(i)]);
                    reached = reached || b[std::size_t(i)] >= least;
                }
                QVERIFY(any || !reached);
                QCOMPARE(int(a.back()), 3);
            }
        }
    }
    void directionsSpreadAndRate()
    {
        for (const int n : lengths()) {
            std::vector<std::vector<float>> v(3, std::vector<float>(std::size_t(n) + 4));
            for (auto& row : v)
                for (auto& x : row) x = float(m_random.uniform(-40, 40));
            std::vector<std::uint32_t> a(std::size_t(n) + 3, 5), b(a);
            simd::directions(v[0].data() + 1, v[1].data() + 1, v[2].data() + 1, n, 9, a.data()),
                simd::scalar::directions(v[0].data() + 1, v[1].data() + 1, v[2].data() + 1, n, 9, b.data());
            QVERIFY(a == b);
            std::vector<std::uint32_t> c(std::size_t(n) + 1, 5), d(c);
            simd::spread(a.data(), a.data(), b.data(), n, c.data()),
                simd::scalar::spread(a.data(), a.data(), b.data(), n, d.data());
            QVERIFY(c == d);
            std::vector<std::uint8_t> e(std::size_t(n) + 1, 9), f(e);
            simd::rate(a.data(), n, 7u, 0x80000010u, 0x40u, e.data()),
                simd::scalar::rate(a.data(), n, 7u, 0x80000010u, 0x40u, f.data());
            QVERIFY(e == f);
        }
    }
    void everyDirectionIsItsOwn()
    {
        // A gradient at each of 32 angles sets the bit counted counter-clockwise as seen.
        for (int k = 0; k < 32; ++k) {
            const double angle = 2 * geometry::kPi * k / 32;
            const geometry::Point g = geometry::direction(angle) * 20;
            float above[3] = {}, here[3] = {}, below[3] = {};
            here[0] = float(-g.x), here[2] = float(g.x), above[1] = float(-g.y), below[1] = float(g.y);
            std::uint32_t bit = 0;
            simd::directions(above + 1, here + 1, below + 1, 1, 1, &bit);
            QCOMPARE(bit, 1u << k);
        }
    }
    void halvesAndSplines()
    {
        for (const int n : lengths()) {
            const auto a = bytes(std::size_t(2 * n) + 3), b = bytes(std::size_t(2 * n) + 3);
            std::vector<float> x(std::size_t(n) + 1, 3), y(x);
            simd::half(a.data() + 1, b.data(), n, 0.25f, x.data()),
                simd::scalar::half(a.data() + 1, b.data(), n, 0.25f, y.data());
            QVERIFY(x == y);
            std::vector<float> fa(a.begin(), a.end()), fb(b.begin(), b.end());
            simd::half(fa.data() + 1, fb.data(), n, 0.25f, x.data()),
                simd::scalar::half(fa.data() + 1, fb.data(), n, 0.25f, y.data());
            QVERIFY(x == y);
        }
        const int w = 300, h = 300;
        const auto p = bytes(std::size_t(w * h));
        for (const double angle : {0.0, 0.3, 0.785, 1.2})
            for (const int n : {1, 7, 16, 33, 150}) {
                std::vector<float> x(std::size_t(n), 1), y(x);
                const float dx = float(std::cos(angle)), dy = float(std::sin(angle));
                simd::spline(p.data() + 20 * w + 20, w, 3.3f, 4.7f, dx, dy, n, x.data()),
                    simd::scalar::spline(p.data() + 20 * w + 20, w, 3.3f, 4.7f, dx, dy, n, y.data());
                QVERIFY(x == y);
            }
    }

    void heightsAreTheSameEverywhere()
    {
        std::mt19937 random(11);
        for (const int n : {0, 1, 7, 8, 9, 63, 64, 65, 1023, 1024, 1025, 2448}) {
            std::vector<std::uint16_t> deep(std::size_t(n) + 1);
            std::vector<float> real(std::size_t(n) + 1);
            for (std::size_t i = 0; i < deep.size(); ++i) {
                deep[i] = std::uint16_t(random() % 400);
                real[i] = random() % 9 == 0 ? std::numeric_limits<float>::quiet_NaN() : float(random() % 1000) * 0.013f;
            }
            const simd::HeightRow row{150, 0.0137f, -0.7f, 0.0021f, 200};
            std::vector<float> x(std::size_t(n) + 1, 7), y(x);
            const auto same = [&] {
                for (std::size_t i = 0; i < x.size(); ++i)
                    if (x[i] != y[i] && !(std::isnan(x[i]) && std::isnan(y[i]))) return false;
                return true;
            };
            simd::heightRow(deep.data() + 1, n, row, x.data());
            simd::scalar::heightRow(deep.data() + 1, n, row, y.data());
            QVERIFY(same());
            simd::heightRow(real.data() + 1, n, row, x.data());
            simd::scalar::heightRow(real.data() + 1, n, row, y.data());
            QVERIFY(same());
            std::vector<std::uint64_t> a(std::size_t(n + 63) / 64 + 1, 3), b(a);
            simd::inRange(x.data(), n, -0.3f, 2.5f, a.data());
            simd::scalar::inRange(x.data(), n, -0.3f, 2.5f, b.data());
            QVERIFY(a == b);
            simd::PlaneSums p, q;
            simd::planeSums(x.data(), n, 1.7f, p);
            simd::scalar::planeSums(x.data(), n, 1.7f, q);
            QVERIFY(p.points == q.points && p.used == q.used && p.w == q.w && p.wx == q.wx && p.wxx == q.wxx &&
                    p.wr == q.wr && p.wxr == q.wxr);
            if (n > 1000) QVERIFY(p.used > 10 && p.used < p.points && p.points < n);
        }
    }

    void edgePeaksOfProfiles()
    {
        const int w = 90, h = 70;
        demo::Random r(11);
        const auto lines = [&](int count, int reach) {
            std::vector<std::vector<double>> out(4);
            for (int i = 0; i < count; ++i) {
                const double turn = r.uniform(0, 6.28), dx = std::cos(turn), dy = std::sin(turn), arm = reach + 3;
                out[0].push_back(r.uniform(arm + 1, w - arm - 3) - dx * arm);
                out[1].push_back(r.uniform(arm + 1, h - arm - 3) - dy * arm);
                out[2].push_back(dx);
                out[3].push_back(dy);
            }
            return out;
        };
        const auto tried = [&](auto sample) {
            std::vector<decltype(sample)> p(std::size_t(w * h));
            int peaks = 0;
            for (auto& one : p) one = decltype(sample)(r.below(256) * (sizeof(sample) == 2 ? 200 : 1));
            for (const int reach : {2, 3, 5, 9, simd::kLongestReach})
                for (const int count : {0, 1, 5, 8, 63}) {
                    const auto l = lines(count, reach);
                    const simd::ProfileLines all{l[0].data(), l[1].data(), l[2].data(), l[3].data(), count};
                    std::vector<simd::EdgePeak> x(std::size_t(count) + 1), y(x);
                    simd::edgePeaks(p.data(), w, all, reach, 0.7, x.data());
                    simd::scalar::edgePeaks(p.data(), w, all, reach, 0.7, y.data());
                    for (int i = 0; i < count; ++i) {
                        const simd::EdgePeak &a = x[std::size_t(i)], &b = y[std::size_t(i)];
                        if (a.index != b.index || a.before != b.before || a.at != b.at || a.after != b.after)
                            return false;
                        peaks += a.index >= 0;
                    }
                }
            return peaks > 150;
        };
        QVERIFY(tried(std::uint8_t(0)));
        QVERIFY(tried(std::uint16_t(0)));
        QVERIFY(tried(0.0f));
    }
    void anEdgeIsFoundWhereItStands()
    {
        // Bright to the right of column 40: seen along +x at 39.5, not seen along -x.
        const int w = 90, h = 20;
        std::vector<std::uint8_t> p(std::size_t(w * h));
        for (int i = 0; i < w * h; ++i) p[std::size_t(i)] = i % w >= 40 ? 200 : 50;
        const double x[]{30, 50}, y[]{9, 9}, dx[]{1, -1}, dy[]{0, 0};
        simd::EdgePeak found[2];
        simd::edgePeaks(p.data(), w, {x, y, dx, dy, 2}, 6, 1, found);
        QVERIFY2(found[0].index == 6 || found[0].index == 7, qPrintable(QString::number(found[0].index)));
        QVERIFY(found[0].at > 0.2 * 150 && found[1].at < 1e-9);
    }
};
QTEST_APPLESS_MAIN(SimdTest)
#include "simd_test.moc"
