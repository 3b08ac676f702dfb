#include "../support.h"

using namespace support;
using namespace recipe;
using geometry::Point;

class EachObjectTest : public QObject
{
    Q_OBJECT
    static Recipe withObjects(const std::function<void(Step&)>& edit)
    {
        Recipe r;
        chain(r, "blobs", "objects",
              [](Step& s) { put(s, "objects", std::string("dark")), put(s, "order", std::string("datum_x")); });
        chain(r, "each_object", "each", [&](Step& s) {
            s.inputs["each"] = "objects";
            edit(s);
        });
        return r;
    }
    static std::vector<double> list(const inspect::PictureResult& r, const char* key)
    {
        return r.items.front().step("each")->output(key)->values;
    }
private slots:
    void circlesOfManySizes()
    {
        std::vector<std::vector<Point>> discs;
        for (int i = 0; i < 8; ++i)
            discs.push_back(demo::circleOutline({60.0 + 90 * i + 0.37 * i, 80.3 + 7 * (i % 3)}, 18 + 2.13 * i));
        const auto r = runChain(withObjects([](Step&) {}), draw(discs, 800, 180));
        QVERIFY2(reason(r).empty(), reason(r).c_str());
        QCOMPARE(list(r, "sizes").size(), std::size_t(8));
        for (std::size_t i = 0; i < 8; ++i) {
            QVERIFY2(std::abs(list(r, "sizes")[i] - 2 * (18 + 2.13 * double(i))) < 0.03,
                     qPrintable(QString::number(list(r, "sizes")[i])));
            QVERIFY(std::abs(list(r, "x")[i] - (60.0 + 90 * double(i) + 0.37 * double(i))) < 0.02);
        }
        QVERIFY(std::abs(value(r, "each", "least") - 36) < 0.03 &&
                std::abs(value(r, "each", "greatest") - 2 * (18 + 2.13 * 7)) < 0.03);
    }
    void widthsAndLinesAtAnyTurn()
    {
        std::vector<std::vector<Point>> bars;
        for (int i = 0; i < 6; ++i) {
            std::vector<Point> b = box(-50, -8 - i, 50, 8 + i);
            for (Point& p : b) p = geometry::Pose{{90.0 + 130 * i, 100}, geometry::radians(15.0 * i - 30)}.toPicture(p);
            bars.push_back(b);
        }
        const auto width =
            runChain(withObjects([](Step& s) { put(s, "what", std::string("width")); }), draw(bars, 860, 200));
        const auto length = runChain(
            withObjects([](Step& s) { put(s, "what", std::string("width")), put(s, "side", std::string("longer")); }),
            draw(bars, 860, 200));
        const auto line = runChain(
            withObjects([](Step& s) { put(s, "what", std::string("line")), put(s, "side", std::string("longer")); }),
            draw(bars, 860, 200));
        for (std::size_t i = 0; i < 6; ++i) {
            QVERIFY2(std::abs(list(width, "sizes")[i] - (16 + 2 * double(i))) < 0.06,
                     qPrintable(QString::number(list(width, "sizes")[i])));
            QVERIFY2(std::abs(list(length, "sizes")[i] - 100) < 0.06,
                     qPrintable(QString::number(list(length, "sizes")[i])));
            QVERIFY(std::abs(list(line, "angles")[i] - (15.0 * double(i) - 30)) < 0.1);
        }
    }
    void whatIsMissingInOneIsSaid()
    {
        // One of the objects is no disc at all.
        const auto r = runChain(
            withObjects([](Step&) {}),
            draw({demo::circleOutline({60, 60}, 20), box(110, 50, 210, 58), demo::circleOutline({270, 60}, 20)}, 340,
                 120));
        QVERIFY2(reason(r).find("in object 2 of 3: the circle is seen in") == 0, reason(r).c_str());
        QVERIFY(runChain(withObjects([](Step&) {}), draw({}, 200, 120)).items.front().step("each")->state !=
                inspect::State::Ok);
    }
};
QTEST_GUILESS_MAIN(EachObjectTest)
#include "each_object_test.moc"
