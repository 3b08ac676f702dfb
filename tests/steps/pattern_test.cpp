#include "../support.h"

using namespace support;
using geometry::Point;
using geometry::Pose;
using geometry::Region;

class PatternTest : public QObject
{
    Q_OBJECT
    static std::vector<Point> part(const Pose& pose)
    {
        std::vector<Point> out{{-60, -40}, {60, -40}, {60, -10}, {-20, -10}, {-20, 40}, {-60, 40}};
        for (Point& p : out) p = pose.toPicture(p);
        return out;
    }
    static recipe::Recipe recipeWith(const std::function<void(recipe::Step&)>& edit)
    {
        recipe::Recipe r;
        const auto png = image::encodePng(draw({part({{100, 90}, 0})}, 200, 180));
        r.reference = *recipe::makeAsset("reference.png", *png, "");
        recipe::Step s = recipe::makeStep(r, *recipe::findKind("pattern"));
        s.regions["part"] = Region::rectangle({100, 90}, 150, 110);
        edit(s);
        r.steps.push_back(s);
        return r;
    }
private slots:
    void originAndDirectionAreThePersons()
    {
        const recipe::Recipe r = recipeWith([](recipe::Step& s) {
            s.points["origin"] = {40, 50}; // the part's upper left corner
            put(s, "direction", -90.0);
        });
        const Pose truth{{150, 160}, 0.9};
        const auto result = inspect::evaluate(*inspect::Prepared::make(r), captureOf(draw({part(truth)}, 320, 300)));
        QVERIFY2(reason(result).empty(), reason(result).c_str());
        const Point corner = truth.toPicture({-60, -40});
        QVERIFY(std::abs(value(result, "x") - corner.x) < 0.03 && std::abs(value(result, "y") - corner.y) < 0.03);
        QVERIFY(std::abs(value(result, "angle") - (geometry::degrees(0.9) - 90)) < 0.02);
        QVERIFY(value(result, "score") > 0.95);
    }
    void severalFindsAreSeveralItems()
    {
        recipe::Recipe r = recipeWith([](recipe::Step& s) { put(s, "finds", std::int64_t(5)); });
        recipe::Step width = recipe::makeStep(r, *recipe::findKind("edge_pair"));
        width.datum = r.steps[0].id;
        width.regions["window"] = Region::window({10 + 30, 70}, {10 + 150, 70}, 9); // across the long bar, 120 px
        width.regions["window"] = Region::window({30, 66}, {170, 66}, 9);
        r.steps.push_back(width);
        const auto result = inspect::evaluate(
            *inspect::Prepared::make(r), captureOf(draw({part({{110, 110}, 0.3}), part({{320, 140}, 2.0})}, 440, 280)));
        QCOMPARE(int(result.items.size()), 2);
        for (const auto& item : result.items) {
            QVERIFY(item.pose);
            QVERIFY2(std::abs(item.steps[1]->output("distance")->values.at(0) - 120) < 0.1,
                     item.steps[1]->reason.c_str());
        }
        QVERIFY(!(result.items[0].pose->origin == result.items[1].pose->origin));
    }
    void notFoundIsOneRejectedItemWithTheReason()
    {
        const recipe::Recipe r = recipeWith([](recipe::Step&) {});
        const auto result = inspect::evaluate(*inspect::Prepared::make(r),
                                              captureOf(draw({demo::circleOutline({100, 90}, 40)}, 200, 180)));
        QCOMPARE(int(result.items.size()), 1);
        QVERIFY(!result.items[0].accepted() && reason(result).find("not found") == 0);
    }
    void withoutReferenceItSaysSo()
    {
        recipe::Recipe r = recipeWith([](recipe::Step&) {});
        r.reference = {};
        const auto result = inspect::evaluate(*inspect::Prepared::make(r), captureOf(draw({}, 60, 60)));
        QVERIFY(reason(result).find("the recipe has no reference") != std::string::npos);
    }
    void anAmbiguousPartIsSaid()
    {
        recipe::Recipe r = recipeWith([](recipe::Step&) {});
        r.reference = *recipe::makeAsset("r.png", *image::encodePng(draw({box(40, 60, 160, 120)}, 200, 180)), "");
        const auto prepared = inspect::Prepared::make(r);
        QVERIFY2(prepared->taught(r.steps[0].id)->note.find("looks alike when turned by") == 0,
                 prepared->taught(r.steps[0].id)->note.c_str());
    }
    void aBlankTeachingAreaIsRefused()
    {
        recipe::Recipe r = recipeWith([](recipe::Step& s) { s.regions["part"] = Region::rectangle({15, 15}, 20, 20); });
        const auto prepared = inspect::Prepared::make(r);
        QVERIFY(prepared && !prepared->taught(r.steps[0].id)->model);
        QVERIFY(prepared->taught(r.steps[0].id)->reason.find("edge points") != std::string::npos);
    }
};
QTEST_APPLESS_MAIN(PatternTest)
#include "pattern_test.moc"
