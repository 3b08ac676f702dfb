// The session below the window: one change is one undo, drafts, proposals, labels, the reference, and what stays when
// things go wrong.
#include "window_support.h"

#include <nlohmann/json.hpp>

using namespace support;
using namespace desktop;
using geometry::Point;
using recipe::Gesture;
using recipe::Label;

class SessionTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_dir;
    QString m_recipe;
    std::unique_ptr<Session> m_session;

    bool settled()
    {
        return waitFor([&] { return m_session->settled(); });
    }
    // mm on the plate → picture px of the picture in view.
    Point onPlate(double x, double y)
    {
        const auto m = inspect::Placing(m_session->recipe(), m_session->currentItem()).following("plate");
        const double k = 1 / smallField().mmPerPixel;
        return m->motion().now.toPicture({x * k, y * k});
    }
    std::vector<recipe::Offer> offers(Gesture::Type type, Point from, Point to, const std::string& kind = {})
    {
        Gesture g;
        g.type = type, g.from = from, g.to = to;
        return m_session->offersFor(g, kind);
    }
    double valueOf(const recipe::Offer& o)
    {
        inspect::ItemResult item;
        m_session->probe(o, &item);
        for (const auto& c : item.checks)
            if (c.step == o.step.id && !c.values.empty()) return c.values.front();
        return std::nan("");
    }

private slots:
    void initTestCase() { m_recipe = QString::fromStdString(writeDemo(m_dir, 9)); }
    void init()
    {
        m_session = std::make_unique<Session>();
        QVERIFY(m_session->open(m_recipe));
        QVERIFY(settled());
    }
    void cleanup()
    {
        m_session->newRecipe();
        m_session.reset();
    }

    // A picture written anew under the same name does not keep the answer of the one before.
    void aPictureWrittenAnewIsInspectedAgain()
    {
        const std::string picture = m_session->recipe().trials[2].picture; // a slot is missing
        const std::string before = *base::readFile(picture),
                          other = *base::readFile(m_session->recipe().trials[0].picture);
        m_session->setTrial(2);
        QVERIFY(m_session->result(2)->rejected());
        m_session->lookForChangedPictures();
        QVERIFY(m_session->result(2)); // nothing changed: the answer stays
        QVERIFY(base::realFiles().write(picture, other));
        QStringList said;
        connect(m_session.get(), &Session::said, this, [&](const QString& text) { said << text; });
        m_session->lookForChangedPictures();
        QVERIFY(!m_session->result(2) && said.size() == 1 && said[0].contains("plate-003.png"));
        QVERIFY(settled());
        QVERIFY(m_session->result(2)->accepted());
        QVERIFY(m_session->result(1)->accepted());
        const auto shown = image::loadCapture(picture);
        const image::Image& pixels = shown->first().pixels;
        QVERIFY(
            std::equal(pixels.row(0), pixels.row(0) + pixels.byteCount(), m_session->capture()->first().pixels.row(0)));
        QVERIFY(base::realFiles().write(picture, before));
        m_session->lookForChangedPictures();
        QVERIFY(settled());
        QVERIFY(m_session->result(2)->rejected());
    }
    void everyChangeIsOneUndoAndComesBackExactly()
    {
        const auto text = [&] { return recipe::toJson(m_session->recipe(), m_dir.path().toStdString()).dump(); };
        std::vector<std::string> states{text()};
        const std::vector<std::function<void(recipe::Recipe&)>> edits{
            [](recipe::Recipe& r) { r.name = "other"; },
            [](recipe::Recipe& r) { r.steps.pop_back(); },
            [](recipe::Recipe& r) { r.trials[0].label = Label::Bad; },
            [](recipe::Recipe& r) { r.calibration = geometry::Calibration::factor(0.5, ""); },
            [](recipe::Recipe& r) { r.find("width")->regions["window"].width = 3; },
            [](recipe::Recipe& r) { r.trials.clear(); },
        };
        for (const auto& e : edits) {
            m_session->change("x", e);
            states.push_back(text());
        }
        for (std::size_t i = states.size() - 1; i-- > 0;) {
            m_session->undo();
            QCOMPARE(QString::fromStdString(text()), QString::fromStdString(states[i]));
        }
        QVERIFY(!m_session->canUndo());
        for (std::size_t i = 1; i < states.size(); ++i) {
            m_session->redo();
            QCOMPARE(QString::fromStdString(text()), QString::fromStdString(states[i]));
        }
        QVERIFY(!m_session->canRedo());
        m_session->undo();
        m_session->change("y", [](recipe::Recipe& r) { r.name = "branch"; });
        QVERIFY(!m_session->canRedo()); // a new change ends the old way forward
    }
    void draggingIsOneUndo()
    {
        for (int i = 0; i < 20; ++i)
            m_session->setLimits("width", "distance",
                                 *recipe::parseLimits("26 +-0.0" + std::to_string(10 + i), base::Unit::Millimetre),
                                 true);
        m_session->endMerge();
        m_session->setLimits("width", "distance", *recipe::parseLimits("26 +-0.5", base::Unit::Millimetre), true);
        m_session->undo();
        m_session->undo();
        QVERIFY(!m_session->canUndo());
        QCOMPARE(m_session->recipe().find("width")->checks[0].limits.plus, 0.05);
    }
    void verdictsFollowALimitAtOnce()
    {
        const auto accepted = [&] {
            int n = 0;
            for (int t = 0; t < m_session->trialCount(); ++t) n += m_session->result(t)->accepted();
            return n;
        };
        QCOMPARE(accepted(), 6);
        m_session->setLimits("width", "distance", *recipe::parseLimits("<= 1", base::Unit::Millimetre), false);
        QCOMPARE(m_session->pending(), 0); // nothing has to be inspected again
        QCOMPARE(accepted(), 0);
        m_session->undo();
        QCOMPARE(accepted(), 6);
    }
    void aCircleOfStepsIsRefused()
    {
        QString said;
        connect(m_session.get(), &Session::said, this, [&](const QString& text) { said = text; });
        m_session->change("circle", [](recipe::Recipe& r) { r.find("plate")->datum = "width"; });
        QVERIFY2(said.contains("in a circle"), qPrintable(said));
        QVERIFY(m_session->recipe().find("plate")->datum.empty() && !m_session->canUndo());
    }
    void labelsAndAgreement()
    {
        QCOMPARE(int(m_session->agreement(0)), int(Session::Agreement::Agrees));
        m_session->change("label",
                          [](recipe::Recipe& r) { r.trials[0].label = Label::Bad, r.trials[1].label = Label::Open; });
        QCOMPARE(int(m_session->agreement(0)), int(Session::Agreement::Disagrees));
        QCOMPARE(int(m_session->agreement(1)), int(Session::Agreement::None));
    }

    // ---- every kind by its gesture
    void aStrokeAcrossIsTheWidth()
    {
        const auto all = offers(Gesture::Type::Stroke, onPlate(-33.9, -16), onPlate(-33.9, 16));
        QVERIFY(!all.empty());
        QCOMPARE(all[0].step.kind, std::string("edge_pair"));
        QVERIFY2(std::abs(valueOf(all[0]) - 26) < 0.05, qPrintable(QString::number(valueOf(all[0]))));
        QCOMPARE(all[0].step.checks.at(0).limits.unit, base::Unit::Millimetre);
        QVERIFY(!all[0].chosen.empty());
    }
    // 4° askew would add 0.06 mm; the window is turned square to the edges.
    void anAskewStrokeIsTurnedSquare()
    {
        const double shift = 32 * std::tan(geometry::radians(4));
        const auto askew =
            offers(Gesture::Type::Stroke, onPlate(-33.9 - shift / 2, -16), onPlate(-33.9 + shift / 2, 16));
        QVERIFY(!askew.empty());
        const auto square = offers(Gesture::Type::Stroke, onPlate(-33.9, -16), onPlate(-33.9, 16));
        QVERIFY2(std::abs(valueOf(askew[0]) - valueOf(square[0])) < 0.012,
                 qPrintable(QString("%1 %2").arg(valueOf(askew[0])).arg(valueOf(square[0]))));
    }
    void aStrokeOverOneEdgeSaysSo()
    {
        const auto all = offers(Gesture::Type::Stroke, onPlate(-33.9, -17), onPlate(-33.9, -11));
        QVERIFY(!all.empty());
        QCOMPARE(all[0].step.kind, std::string("edge_point"));
        QVERIFY(all[0].wants.find("1 of 2") == 0);
    }
    void aStrokeAlongAnEdgeIsALine()
    {
        const auto all = offers(Gesture::Type::Stroke, onPlate(-40, -13.2), onPlate(40, -12.8));
        QVERIFY(!all.empty());
        QCOMPARE(all[0].step.kind, std::string("line"));
        inspect::ItemResult item;
        m_session->probe(all[0], &item);
        QVERIFY(item.step(all[0].step.id)->state == inspect::State::Ok);
    }
    void aClickInAHoleIsACircle()
    {
        const auto all = offers(Gesture::Type::Click, onPlate(46, 9), onPlate(46, 9));
        QCOMPARE(all.size(), std::size_t(5));
        QCOMPARE(all[0].step.kind, std::string("circle"));
        QCOMPARE(all[0].step.name, std::string("Hole"));
        QCOMPARE(all[2].step.kind, std::string("blobs"));   // this and its like: all four holes
        QCOMPARE(all[4].step.kind, std::string("ellipse")); // last: a round thing is rather a circle
        QCOMPARE(valueOf(all[2]), 4.0);
        QVERIFY(all[0].step.checks.empty());
        QVERIFY(std::abs(valueOf(all[1]) - 3.2) < 0.04);                                 // the diameter
        QVERIFY(offers(Gesture::Type::Click, onPlate(0, -60), onPlate(0, -60)).empty()); // nothing round there
    }
    void fromHoleToHoleIsTheirDistance()
    {
        Gesture g;
        g.from = onPlate(-46, 9), g.to = onPlate(46, 9);
        g.fromFeature = "hole_left", g.toFeature = "hole_right";
        const auto all = m_session->offersFor(g);
        QCOMPARE(all[0].words, std::string("distance"));
        QVERIFY(std::abs(valueOf(all[0]) - 92) < 0.1);
        QVERIFY(std::any_of(all.begin(), all.end(), [](const auto& o) { return o.words == "along datum x"; }));
    }
    // Two lights a part: any file brings the capture in, the sheet shows the picture the chosen step looks at, and the
    // reference is taken whole.
    void capturesOfSeveralPictures()
    {
        QTemporaryDir dir;
        const auto file = [&](const char* leaf, double width) {
            const QString path = dir.filePath(leaf);
            (void)base::realFiles().write(
                path.toStdString(),
                *image::encodePng(support::draw({support::box(60 - width / 2, 5, 60 + width / 2, 55)}, 120, 60)));
            return path;
        };
        const QStringList files{file("a-dome.png", 40), file("a-white.png", 60), file("b-white.png", 62),
                                file("b-dome.png", 42)};
        Session session;
        session.change("two lights", [](recipe::Recipe& r) {
            r.pictures = {{"white", "{id}-white.png", {}}, {"dome", "{id}-dome.png", {}}};
            recipe::Step s = recipe::makeStep(r, *recipe::findKind("edge_pair"));
            s.id = "width";
            s.regions["window"] = geometry::Region::window({5, 30}, {115, 30}, 9);
            r.steps.push_back(s);
        });
        session.addTrials(files);
        QCOMPARE(session.trialCount(), 2);
        QVERIFY(QString::fromStdString(session.recipe().trials[0].picture).endsWith("a-white.png"));
        session.addTrials({files[1]}); // known already
        QCOMPARE(session.trialCount(), 2);
        const auto done = [&] { return waitFor([&] { return session.settled(); }); };
        QVERIFY(done());
        session.select("width");
        const auto width = [&] { return session.currentItem()->check("width", "distance")->values.at(0); };
        QVERIFY(std::abs(width() - 60) < 0.1 && session.shownPicture().key == "white");
        session.change("other light", [](recipe::Recipe& r) { r.find("width")->pictures["picture"] = "dome"; });
        QVERIFY(done());
        QVERIFY(std::abs(width() - 40) < 0.1 && session.shownPicture().key == "dome");
        QVERIFY(session.takeReference());
        QCOMPARE(session.recipe().reference.files.size(), std::size_t(2));
        const QString path = dir.filePath("two.dikkat");
        QVERIFY(session.saveTo(path) && session.open(path));
        QVERIFY(done());
        QVERIFY(std::abs(width() - 40) < 0.1 && session.viewIsReference());
        // With other names the files are another capture, in view as in the answers.
        session.setShowReference(false);
        session.change("one light", [](recipe::Recipe& r) {
            r.reference = {};
            r.find("width")->pictures.clear();
            r.pictures.erase(r.pictures.begin() + 1);
        });
        QVERIFY(done());
        QVERIFY(std::abs(width() - 60) < 0.1 && session.capture()->pictures().size() == 1);
        session.undo();
        QVERIFY(done());
        QVERIFY(std::abs(width() - 40) < 0.1 && session.capture()->pictures().size() == 2);
        // Names that fit no file give errors, and those go with the names.
        session.change("no light", [](recipe::Recipe& r) { r.pictures[1].file = "{id}-none.png"; });
        QVERIFY(done());
        QVERIFY(session.result(0)->error && session.result(0)->rejected());
        session.undo();
        QVERIFY(done());
        QVERIFY(!session.result(0)->error && std::abs(width() - 40) < 0.1);
        // A picture written anew is noticed, whichever of the capture it is.
        file("a-dome.png", 44);
        session.lookForChangedPictures();
        QVERIFY(done());
        QVERIFY(std::abs(width() - 44) < 0.1);
        session.newRecipe();
    }
    void anAreaIsACountWhereThereIsADatum()
    {
        const auto all = offers(Gesture::Type::Area, onPlate(-41, -11), onPlate(39, 11.5));
        QCOMPARE(all[0].step.kind, std::string("blobs"));
        QCOMPARE(valueOf(all[0]), 10.0);
        QCOMPARE(all[1].judged.at(0), std::string("areas"));
    }
    void anAreaOnTheReferenceOffersADatum()
    {
        m_session->setShowReference(true);
        QVERIFY(settled());
        const auto all = offers(Gesture::Type::Area, onPlate(-51, -14), onPlate(51, 14), "pattern");
        QCOMPARE(all.size(), std::size_t(1));
        QVERIFY(all[0].step.letter == "B" && all[0].step.datum.empty());
        m_session->setShowReference(false);
        // a datum is taught on the reference only
        QVERIFY(offers(Gesture::Type::Area, onPlate(-51, -14), onPlate(51, 14), "pattern").empty());
    }
    void bareBackgroundOffersNothing()
    {
        const Point corner{20, 20};
        m_session->setTrial(0);
        const auto away = onPlate(0, 0).x > smallField().width / 2.0 ? corner : Point{smallField().width - 120.0, 20};
        for (const auto& o : offers(Gesture::Type::Stroke, away, away + Point{90, 0})) QVERIFY2(false, o.words.c_str());
    }

    // ---- drafts
    void aDraftAnswersForAllAndLeavesNoTrace()
    {
        const auto before = recipe::toJson(m_session->recipe(), "").dump();
        m_session->setDraft(offers(Gesture::Type::Stroke, onPlate(38, -16), onPlate(38, 16)));
        QVERIFY(m_session->draft());
        QVERIFY(settled());
        const std::string id = m_session->draft()->offer().step.id;
        int answered = 0;
        for (int t = 0; t < m_session->trialCount(); ++t)
            for (const auto& c : m_session->result(t)->items[0].checks) answered += c.step == id && !c.values.empty();
        QVERIFY(answered >= 7);
        m_session->chooseOffer(m_session->draft()->chosen + 1);
        QCOMPARE(m_session->draft()->chosen, 1);
        m_session->chooseOffer(-1);
        QCOMPARE(m_session->draft()->chosen, int(m_session->draft()->offers.size()) - 1);
        m_session->dropDraft();
        QVERIFY(settled());
        QCOMPARE(recipe::toJson(m_session->recipe(), "").dump(), before);
        QVERIFY(!m_session->canUndo() && !m_session->modified());
        for (const auto& c : m_session->result(0)->items[0].checks) QVERIFY(c.step != id);
    }
    void proposedLimitsPassTheGoodAndStopBeforeTheBad()
    {
        m_session->setDraft(offers(Gesture::Type::Stroke, onPlate(-33.9, -16), onPlate(-33.9, 16)));
        m_session->takeDraft();
        QVERIFY(waitFor([&] { return m_session->proposal().has_value(); }));
        const auto p = *m_session->proposal();
        for (int t = 0; t < m_session->trialCount(); ++t) {
            const auto& c = m_session->result(t)->items[0].checks.back();
            if (c.values.empty()) continue;
            if (m_session->recipe().trials[std::size_t(t)].label == Label::Good) QVERIFY(p.limits.holds(c.values[0]));
            if (demo::plate(smallField(), 1, t).truth.fault == demo::Fault::Narrow)
                QVERIFY(!p.limits.holds(c.values[0]));
        }
        QVERIFY(!m_session->recipe().steps.back().checks[0].limits.any()); // taken on confirmation only
        m_session->takeProposal();
        QVERIFY(m_session->recipe().steps.back().checks[0].limits == p.limits);
        m_session->undo();
        QVERIFY(!m_session->recipe().steps.back().checks[0].limits.any());
    }
    void countsAreProposedExactly()
    {
        const auto p = m_session->propose("slots", "count");
        QVERIFY(p && p->limits.lowest() == 10.0 && p->limits.highest() == 10.0);
        QVERIFY(!m_session->propose("slots", "no such output"));
    }
    // Another picture of the part becomes the reference; what was drawn on the part stays on the part.
    void aNewReferenceTakesTheRegionsAlong()
    {
        const double before = m_session->result(3)->items[0].checks.back().values.at(0);
        m_session->setTrial(0);
        QVERIFY(m_session->takeReference());
        QVERIFY(settled());
        QVERIFY(m_session->viewIsReference());
        for (const int t : {0, 1, 3, 4, 6, 7})
            QVERIFY2(m_session->result(t)->accepted(), m_session->result(t)->items[0].sentence().c_str());
        const double after = m_session->result(3)->items[0].checks.back().values.at(0);
        QVERIFY2(std::abs(after - before) < 0.02, qPrintable(QString("%1 %2").arg(before).arg(after)));
        m_session->undo();
        QVERIFY(!m_session->viewIsReference());
    }
    void trialsCanComeAndGo()
    {
        m_session->change("remove", [](recipe::Recipe& r) { r.trials.erase(r.trials.begin(), r.trials.begin() + 8); });
        QCOMPARE(m_session->trialCount(), 1);
        m_session->setTrial(5);
        QCOMPARE(m_session->trial(), 0);
        m_session->change("remove", [](recipe::Recipe& r) { r.trials.clear(); });
        m_session->setTrial(0);
        QCOMPARE(m_session->trial(), -1);
        QVERIFY(!m_session->capture() && !m_session->currentItem() && m_session->pictureName().isEmpty());
        QVERIFY(!m_session->takeReference());
        QVERIFY(offers(Gesture::Type::Stroke, {0, 0}, {50, 50}).empty());
        m_session->undo();
        m_session->undo();
        QCOMPARE(m_session->trialCount(), 9);
        QVERIFY(settled());
    }
    void evidenceFollowsTheStep()
    {
        for (const auto& s : m_session->recipe().steps) {
            const auto* kind = recipe::findKind(s.kind);
            const auto e =
                inspect::evidence(*m_session->prepared(), *m_session->capture(), *m_session->currentItem(), s.id);
            QCOMPARE(bool(e), bool(kind->evidence));
            if (!e) continue;
            QVERIFY(!e->title.empty() && !e->curves.empty());
            for (const auto& c : e->curves) QCOMPARE(c.x.size(), c.y.size());
            for (const auto& h : e->handles) QVERIFY(kind->param(h.param)); // what is dragged is a setting
        }
    }
};
QTEST_MAIN(SessionTest)
#include "session_test.moc"
