// Labels of single parts, matched by place, and what rests on them.
#include "demo/small_sets.h"
#include "inspect/labels.h"
#include "inspect/proposals.h"
#include "inspect/review.h"
#include "support.h"

using namespace support;
using namespace inspect;
using geometry::Point;
using recipe::Label;

class LabelsTest : public QObject
{
    Q_OBJECT
    static PictureResult found(const std::vector<Point>& places)
    {
        PictureResult r;
        for (std::size_t i = 0; i < places.size(); ++i) {
            ItemResult item;
            item.number = int(i) + 1, item.outcome = Outcome::Accept;
            item.pose = geometry::Pose{places[i], 0};
            r.items.push_back(item);
        }
        return r;
    }
    static std::vector<Label> of(const recipe::Trial& t, const PictureResult& r) { return labelsOf({}, t, r); }
private slots:
    void losingOneOfThreeLeavesTheOtherTwoWhereTheyWere()
    {
        const std::vector<Point> places{{100, 100}, {300, 120}, {520, 90}};
        recipe::Trial t;
        const PictureResult all = found(places);
        QVERIFY(labelItem({}, t, all, 0, Label::Good).has_value());
        QVERIFY(labelItem({}, t, all, 1, Label::Bad).has_value());
        QVERIFY(labelItem({}, t, all, 2, Label::Good).has_value());
        QCOMPARE(of(t, all), (std::vector<Label>{Label::Good, Label::Bad, Label::Good}));
        for (int lost = 0; lost < 3; ++lost) {
            auto left = places;
            left.erase(left.begin() + lost);
            // A little elsewhere, as finds are, and in another order.
            for (Point& p : left) p = p + Point{1.5, -2};
            std::reverse(left.begin(), left.end());
            auto wanted = std::vector<Label>{Label::Good, Label::Bad, Label::Good};
            wanted.erase(wanted.begin() + lost);
            std::reverse(wanted.begin(), wanted.end());
            QCOMPARE(of(t, found(left)), wanted);
            QCOMPARE(labelsWithoutItem({}, t, found(left)), std::vector<std::size_t>{std::size_t(lost)});
        }
        QVERIFY(labelsWithoutItem({}, t, all).empty());
        // One more part: it has the picture's label.
        auto more = places;
        more.push_back({800, 400});
        QCOMPARE(of(t, found(more)).back(), Label::Open);
        t.label = Label::Good;
        QCOMPARE(of(t, found(more)).back(), Label::Good);
    }
    void aLabelIsTakenBackAndGoesBeforeThePictures()
    {
        const PictureResult r = found({{100, 100}, {300, 100}});
        recipe::Trial t;
        t.label = Label::Good;
        QVERIFY(labelItem({}, t, r, 1, Label::Bad).has_value());
        QCOMPARE(of(t, r), (std::vector<Label>{Label::Good, Label::Bad}));
        QVERIFY(ownLabel({}, t, r, 1) == Label::Bad && !ownLabel({}, t, r, 0));
        QCOMPARE(labelOf(t), Label::Bad);
        QVERIFY(labelItem({}, t, r, 1, Label::Good).has_value()); // as the picture: nothing of its own
        QVERIFY(t.items.empty());
        QVERIFY(labelItem({}, t, r, 0, Label::Open).has_value());
        QCOMPARE(of(t, r), (std::vector<Label>{Label::Open, Label::Good}));
        QVERIFY(!labelItem({}, t, r, 5, Label::Good).has_value());
        PictureResult lost = r;
        lost.items[0].pose.reset();
        QVERIFY(!labelItem({}, t, lost, 0, Label::Good).has_value());
    }
    void aVerdictThatIsAnotherIsSaidOfThePart()
    {
        PictureResult r = found({{100, 100}, {300, 100}});
        recipe::Trial t;
        QVERIFY(!disagrees({}, t, r));
        QVERIFY(labelItem({}, t, r, 0, Label::Good).has_value());
        QVERIFY(!disagrees({}, t, r));
        r.items[1].outcome = Outcome::Reject; // nobody labelled that one
        QVERIFY(!disagrees({}, t, r));
        QVERIFY(labelItem({}, t, r, 1, Label::Bad).has_value());
        QVERIFY(!disagrees({}, t, r));
        r.items[0].outcome = Outcome::Reject;
        QVERIFY(disagrees({}, t, r));
        r.items.erase(r.items.begin()); // a good part that was lost
        QVERIFY(disagrees({}, t, r));
    }
    void limitsAndReviewCountEachPartByItsOwnLabel()
    {
        QTemporaryDir dir;
        QVERIFY(demo::writeSmallPlates(dir.path().toStdString(), 1, 9).has_value());
        auto r = recipe::load(dir.filePath("small-plates.dikkat").toStdString());
        QVERIFY(r.has_value());
        const auto prepared = Prepared::make(*r);
        std::vector<PictureResult> results;
        for (const auto& t : r->trials) results.push_back(evaluate(*prepared, *image::loadCapture(t.picture)));
        std::vector<const PictureResult*> all;
        for (const auto& p : results) all.push_back(&p);
        // Each part by what it truly is: what the shipped recipe says, which agrees with the truth (demo_sets_test).
        std::size_t good = 0, bad = 0;
        for (std::size_t t = 0; t < results.size(); ++t) {
            r->trials[t].label = Label::Open;
            for (std::size_t i = 0; i < results[t].items.size(); ++i) {
                const bool ok = results[t].items[i].accepted();
                (ok ? good : bad)++;
                QVERIFY(labelItem(*r, r->trials[t], results[t], int(i), ok ? Label::Good : Label::Bad).has_value());
            }
        }
        QVERIFY(good > 15 && bad >= 2);
        std::size_t goodValues = 0, badValues = 0;
        for (std::size_t t = 0; t < results.size(); ++t)
            for (const auto& item : results[t].items)
                if (const auto* c = item.check("width", "distance"); c && !c->values.empty())
                    (item.accepted() ? goodValues : badValues)++;
        const auto proposal = proposeFor(*r, all, "width", "distance");
        QVERIFY(proposal.has_value());
        QCOMPARE(proposal->good.size(), goodValues);
        QCOMPARE(proposal->bad.size(), badValues);
        QVERIFY(proposal->labelled);
        const auto about = [&](Doubt d) {
            int n = 0;
            for (const Finding& f : review(*r, all)) n += f.doubt == d;
            return n;
        };
        QCOMPARE(about(Doubt::Label), 0);
        // One label turned round, and one at a place where nothing lies.
        const std::string file = dir.filePath("labelled.dikkat").toStdString();
        auto& first = r->trials[0].items[0];
        first.label = first.label == Label::Good ? Label::Bad : Label::Good;
        QCOMPARE(about(Doubt::Label), 1);
        r->trials[1].items.push_back({{3, 3}, Label::Good});
        QCOMPARE(about(Doubt::Label), 2);
        // Kept in the file.
        QVERIFY(recipe::save(*r, file).has_value());
        QVERIFY(recipe::load(file)->trials == r->trials);
        QCOMPARE(recipe::identity(*recipe::load(file)), recipe::identity(*r));
    }
};
QTEST_GUILESS_MAIN(LabelsTest)
#include "labels_test.moc"
