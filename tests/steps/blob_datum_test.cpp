#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Region;

class BlobDatumTest : public QObject
{
    Q_OBJECT
    static image::Image parts(int n)
    {
        std::vector<std::vector<Point>> dark;
        for (int i = 0; i < n; ++i)
            dark.push_back(Region::rectangle({60.0 + 90 * i, 70 + 10.0 * i}, 60, 24, geometry::radians(10.0 * i))
                               .outlines()
                               .front());
        return draw(dark, 400, 200);
    }
    static recipe::Recipe chainOf(const char* of, int expected)
    {
        recipe::Recipe r;
        r.reference = *recipe::makeAsset("r.png", *image::encodePng(parts(1)), "");
        chain(r, "blobs", "all", [](recipe::Step& s) { put(s, "objects", std::string("dark")); });
        chain(r, "blob_datum", "datum", [&](recipe::Step& s) {
            s.inputs = {{"blobs", "all"}};
            put(s, "of", std::string(of)), put(s, "expected", std::int64_t(expected));
        });
        chain(r, "edge_pair", "length", [](recipe::Step& s) {
            s.datum = "datum";
            s.regions["window"] = Region::window({15, 70}, {105, 70}, 9);
        });
        return r;
    }
private slots:
    void eachObjectIsAnItem()
    {
        const auto result = runChain(chainOf("each", 0), parts(3));
        QCOMPARE(result.items.size(), std::size_t(3));
        for (std::size_t i = 0; i < 3; ++i) {
            const auto* s = result.items[i].step("length");
            QVERIFY2(s->state == inspect::State::Ok, qPrintable(QString::fromStdString(s->reason)));
            QVERIFY(std::abs(s->output("distance")->values.at(0) - 60) < 0.1);
            QVERIFY(std::abs(result.items[i].step("datum")->output("angle")->values.at(0) - 10.0 * double(i)) < 0.3);
        }
    }
    void aLostOneIsAnItemNotMeasured()
    {
        const auto result = runChain(chainOf("each", 4), parts(3));
        QCOMPARE(result.items.size(), std::size_t(4));
        QVERIFY(!result.items[3].accepted() &&
                result.items[3].step("datum")->reason.find("3 of 4") != std::string::npos);
        QVERIFY(result.items[3].step("length")->state == inspect::State::NotRun);
        QVERIFY(result.items[0].step("length")->state == inspect::State::Ok);
    }
    void theFrameRoundAll()
    {
        const auto result = runChain(chainOf("all", 0), parts(3));
        QCOMPARE(result.items.size(), std::size_t(1));
        QVERIFY(std::abs(value(result, "datum", "x") - 150) < 6);
    }
};
QTEST_APPLESS_MAIN(BlobDatumTest)
#include "blob_datum_test.moc"
