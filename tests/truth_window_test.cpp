// The window does what it offers: datums, areas, lists, refusals at the pointer, and nothing shown that was not
// answered.
#include "desktop/evidence_view.h"
#include "desktop/param_form.h"
#include "desktop/records/records_grid.h"
#include "desktop/records/records_page.h"
#include "records/record_log.h"
#include "support_records.h"
#include "window_support.h"

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QSpinBox>
#include <QTableWidget>
#include <QToolButton>
#include <set>

using namespace support;
using namespace desktop;
using namespace recipe;
using geometry::Point;
using geometry::Region;
using inspect::Outcome;
using inspect::Verdict;

class TruthWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_demo;
    QString m_recipe;
    geometry::Pose m_pose; // of the plate on the reference
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    SheetView* sheet() { return m_window->setupPage()->sheet(); }
    GridView* grid() { return m_window->setupPage()->grid(); }
    ParamForm* form() { return m_window->setupPage()->evidence()->form(); }
    QAction* action(const char* id) { return m_window->setupPage()->action(QString::fromLatin1(id)); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); });
    }
    void openDemo()
    {
        QVERIFY(m_window->openRecipe(m_recipe));
        QVERIFY(settled());
    }
    // The demo without its steps: reference and trials only, the reference in view.
    void openBare()
    {
        openDemo();
        session().change("bare", [](Recipe& r) { r.steps.clear(), r.rule.clear(), r.totals.clear(); });
        session().setShowReference(true);
        QVERIFY(settled());
    }
    // A place on the plate (mm from its middle) as the reference shows it.
    QPointF onReference(double x, double y)
    {
        const double k = 1 / smallField().mmPerPixel;
        return sheet()->screenOf(m_pose.toPicture({x * k, y * k}));
    }
    void key(Qt::Key k, Qt::KeyboardModifiers m = Qt::NoModifier) { QTest::keyClick(sheet(), k, m); }
    const Step* stepOf(const std::string& kind)
    {
        for (const Step& s : session().recipe().steps)
            if (s.kind == kind) return &s;
        return nullptr;
    }
    void takeHole(double x, double y)
    {
        QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, onReference(x, y).toPoint());
        QVERIFY(session().draft());
        QCOMPARE(session().draft()->offer().step.kind, std::string("circle"));
        session().takeDraft();
    }

private slots:
    void initTestCase()
    {
        m_recipe = QString::fromStdString(writeDemo(m_demo, 8));
        m_pose = *inspect::referencePose(*recipe::load(m_recipe.toStdString()), "plate");
    }
    void init() { m_window = openWindow(m_place.path("data")); }
    void cleanup()
    {
        if (m_window && session().modified()) session().newRecipe();
        m_window.reset();
    }

    // ---- nothing judged, nothing shown
    void anUnjudgedItemIsNeitherAcceptNorReject()
    {
        openDemo();
        session().change("no limits", [](Recipe& r) {
            for (Step& s : r.steps)
                for (Check& c : s.checks) c.limits = {}, c.elements.clear(), c.match = Match::Order;
        });
        QVERIFY(settled());
        bool any = false;
        for (int t = 0; t < session().trialCount(); ++t) {
            const auto* r = session().result(t);
            QVERIFY(r && !r->accepted());
            any = any || r->outcome() == Outcome::Unjudged;
            if (r->outcome() == Outcome::Unjudged) QVERIFY(session().agreement(t) == Session::Agreement::None);
        }
        QVERIFY(any);
        QVERIFY(grid()->grab().toImage() != QImage());
        // Run says so, and so does the log.
        m_window->showWorkspace(1);
        auto* run = m_window->findChild<RunPage*>();
        QVERIFY(run->release("A. Person"));
        run->takeOne();
        QVERIFY(waitFor([&] { return run->itemCount() > 0; }));
        auto* band = run->findChild<VerdictBand*>();
        QCOMPARE(band->word(), QString("UNJUDGED"));
        QVERIFY(band->sentence().contains("nothing was judged"));
        const auto log = records::RecordLog::open(run->logPath());
        QVERIFY(log);
        QCOMPARE((*log)->items({"unjudged", "", 10})->size(), std::size_t(1));
    }
    void aTrialThatWaitsShowsNoVerdict()
    {
        openDemo();
        const int n = session().trialCount();
        session().change("threshold", [](Recipe& r) {
            for (Step& s : r.steps)
                if (s.kind == "blobs") findKind(s.kind)->param("least_area")->put(s.params, Value(77.0));
        });
        // Before the first answer comes nothing of the earlier ones counts.
        QCOMPARE(session().pending(), n);
        for (int t = 0; t < n; ++t) QVERIFY(!session().result(t));
        QVERIFY(session().viewIsPending() && session().currentResult());
        QVERIFY(settled());
        for (int t = 0; t < n; ++t) QVERIFY(session().result(t));
        QVERIFY(!session().viewIsPending());
    }

    // ---- datums
    void twoHolesMakeTheFirstDatum()
    {
        openBare();
        takeHole(-46, 9);
        takeHole(46, 9);
        const std::string left = session().recipe().steps[0].id, right = session().recipe().steps[1].id;
        // A width drawn before: it comes along, the holes do not.
        session().change("width", [](Recipe& r) {
            chain(r, "edge_pair", "before", [](Step& s) {
                s.regions["window"] = Region::window({300, 300}, {400, 300}, 9);
            });
        });
        QVERIFY(settled());
        drag(sheet(), onReference(-46, 9), onReference(46, 9));
        QVERIFY(session().draft());
        QCOMPARE(session().draft()->offer().step.kind, std::string("two_holes"));
        key(Qt::Key_Return);
        const Step* datum = stepOf("two_holes");
        QVERIFY(datum);
        QVERIFY(session().recipe().find(left)->datum.empty() && session().recipe().find(right)->datum.empty());
        QCOMPARE(session().recipe().find("before")->datum, datum->id);
        QVERIFY(settled());
        QVERIFY(session().currentItem()->step(datum->id)->state == inspect::State::Ok);
        // A further datum takes nothing along.
        session().change("free", [](Recipe& r) { r.find("before")->datum.clear(); });
        drag(sheet(), onReference(-52, -15), onReference(52, 15), Qt::ControlModifier);
        QVERIFY(session().draft());
        for (int i = 0; i < 6 && session().draft()->offer().step.kind != "pattern"; ++i) key(Qt::Key_Tab);
        QCOMPARE(session().draft()->offer().step.kind, std::string("pattern"));
        session().takeDraft();
        QVERIFY(stepOf("pattern") && session().recipe().find("before")->datum.empty());
    }
    void aCornerAndAnArmedDatumAreMadeByAStroke()
    {
        openBare();
        for (const auto& [from, to] :
             {std::pair{QPointF(-40, -13), QPointF(40, -13)}, {QPointF(-50, -9), QPointF(-50, 9)}}) {
            drag(sheet(), onReference(from.x(), from.y()), onReference(to.x(), to.y()));
            QVERIFY(session().draft());
            for (int i = 0; i < 6 && session().draft()->offer().step.kind != "line"; ++i) key(Qt::Key_Tab);
            QCOMPARE(session().draft()->offer().step.kind, std::string("line"));
            session().takeDraft();
        }
        QVERIFY(settled());
        sheet()->setArmedKind("corner");
        drag(sheet(), onReference(10, -13), onReference(-50, 2));
        QVERIFY(session().draft());
        QCOMPARE(session().draft()->offer().step.kind, std::string("corner"));
        key(Qt::Key_Return);
        QVERIFY(stepOf("corner"));
        QVERIFY(settled());
        QVERIFY(session().currentItem()->step(stepOf("corner")->id)->state == inspect::State::Ok);
    }
    void theDatumUnderThePointerIsFollowed()
    {
        openDemo();
        session().setShowReference(true);
        // A second datum: one end of the plate.
        session().change("end", [&](Recipe& r) {
            const double k = 1 / smallField().mmPerPixel;
            chain(r, "pattern", "end", [&](Step& s) {
                s.letter = "B", s.datum = "plate";
                s.regions["part"] = Region::rectangle(m_pose.toPicture({44 * k, 0}), 16 * k, 30 * k, m_pose.angle);
            });
        });
        QVERIFY(settled());
        QVERIFY(waitFor([&] {
            return session().currentItem() && session().currentItem()->step("end")->state == inspect::State::Ok;
        }));
        const auto at = [&](double x, double y) {
            return session().datumForNewSteps(sheet()->pictureOf(onReference(x, y)));
        };
        QCOMPARE(at(46, 0), std::string("end"));
        QCOMPARE(at(-20, 0), std::string("plate"));
        QCOMPARE(at(0, -60), std::string("plate")); // beside the part: the first one
    }
    void aReferenceWithoutTheDatumIsRefused()
    {
        openDemo();
        // A picture of nothing among the trials.
        const QString empty = m_demo.filePath("nothing.png");
        QVERIFY(base::realFiles().write(empty.toStdString(),
                                        *image::encodePng(draw({}, smallField().width, smallField().height))));
        session().addTrials({empty});
        session().setTrial(session().trialCount() - 1);
        QVERIFY(settled());
        const auto before = session().recipe().reference.fingerprint;
        const auto refused = session().takeReference();
        QVERIFY(!refused);
        QVERIFY2(refused.error().message.find("datum A \"Plate\" is not found on it") != std::string::npos,
                 refused.error().message.c_str());
        QCOMPARE(session().recipe().reference.fingerprint, before);
        session().setTrial(1);
        QVERIFY(session().takeReference());
    }
    void theStripSaysWhatEachKindIsFor()
    {
        std::set<std::string> said;
        for (const QAction* a : m_window->findChildren<QAction*>())
            for (const auto& k : recipe::allStepKinds())
                if (a->toolTip().contains(QString::fromStdString(k.purpose)) &&
                    a->toolTip().contains(QString::fromStdString(k.help)))
                    said.insert(k.key);
        for (const auto& k : recipe::allStepKinds()) QVERIFY2(said.count(k.key) == 1, k.key.c_str());
    }
    void everyEntryOfTheStripMakesSomething()
    {
        // What each needs to be there, and the gesture that makes it.
        openBare();
        for (const double x : {-46.0, 46.0})
            for (const double y : {9.0}) takeHole(x, y);
        for (const auto& [from, to] : {std::pair{QPointF(-40, -13), QPointF(40, -13)},
                                       {QPointF(-40, 13), QPointF(40, 13)},
                                       {QPointF(-50, -9), QPointF(-50, 9)}}) {
            sheet()->setArmedKind("line");
            drag(sheet(), onReference(from.x(), from.y()), onReference(to.x(), to.y()));
            QVERIFY(session().draft());
            session().takeDraft();
        }
        sheet()->setArmedKind("blobs");
        drag(sheet(), onReference(-40, -11), onReference(44, 7));
        QVERIFY(session().draft());
        session().takeDraft();
        QVERIFY(settled());
        const auto* slots_ = session().currentItem()->step(stepOf("blobs")->id);
        QVERIFY(slots_->state == inspect::State::Ok && slots_->features.count("group"));
        const Point one = std::get<Group>(slots_->features.at("group")).members.front().centre;
        const QPointF slot = sheet()->screenOf(one), left = onReference(-46, 9), right = onReference(46, 9),
                      top = onReference(5, -13), bottom = onReference(5, 13), side = onReference(-50, 0),
                      away = onReference(0, -40);
        struct Made {
            const char* kind;
            QPointF from, to; // equal: a click
            bool area = false;
        };
        for (const Made& m : {Made{"two_holes", left, right},
                              {"corner", top, side},
                              {"blob_datum", slot, slot},
                              {"circle", left, left},
                              {"ellipse", left, left},
                              {"edge_point", onReference(20, -20), onReference(20, -11)},
                              {"contour", onReference(-55, -18), onReference(55, 18), true},
                              {"crossing", top, side},
                              {"midpoint", left, right},
                              {"bisector", top, bottom},
                              {"foot", top, left},
                              {"line_through", left, right},
                              {"circle_through", slot, slot},
                              {"element", slot, slot},
                              {"area_share", onReference(-45, -12), onReference(45, 8), true},
                              {"edge_pair", onReference(-34, -17), onReference(-34, 17)},
                              {"distance", left, right},
                              {"distances", slot, top},
                              {"angle", top, side},
                              {"farthest", onReference(-20, -13), onReference(20, -13)},
                              {"straightness", top, away},
                              {"roundness", left, away},
                              {"parallelism", bottom, top},
                              {"perpendicularity", side, top},
                              {"position", left, away},
                              {"pattern", onReference(-55, -18), onReference(55, 18), true}}) {
            sheet()->setArmedKind(m.kind);
            if (m.from == m.to) QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, m.from.toPoint());
            else drag(sheet(), m.from, m.to, m.area ? Qt::ControlModifier : Qt::NoModifier);
            QVERIFY2(session().draft(), m.kind);
            QCOMPARE(QString::fromStdString(session().draft()->offer().step.kind), QString(m.kind));
            if (std::string(m.kind) == "circle_through") { // ten slots in a row lie on no circle, and that is said
                session().dropDraft();
                continue;
            }
            // It works where it was drawn.
            inspect::ItemResult item;
            session().probe(session().draft()->offer(), &item);
            const auto* answer = item.step(session().draft()->offer().step.id);
            QVERIFY2(answer && answer->state == inspect::State::Ok,
                     (std::string(m.kind) + ": " + (answer ? answer->reason : "")).c_str());
            session().dropDraft();
        }
        // A formula is not drawn: it stands in the form at once.
        for (QToolButton* b : m_window->findChildren<QToolButton*>())
            if (b->menu())
                for (QAction* a : b->menu()->actions())
                    if (a->objectName() == "kind_formula") a->trigger();
        QVERIFY(session().draft() && session().draft()->offer().step.kind == "formula");
        session().dropDraft();
        // Every kind says how it is made and what it is for.
        for (const StepKind& k : allStepKinds()) QVERIFY2(!k.gesture.empty() && !k.purpose.empty(), k.key.c_str());
    }
    void whatMakesNothingSaysWhyAtThePointer()
    {
        openDemo();
        session().setShowReference(true);
        sheet()->setArmedKind("two_holes");
        drag(sheet(), onReference(0, -45), onReference(30, -45));
        QVERIFY(!session().draft());
        QVERIFY2(sheet()->pointerText().contains("stroke from one hole"), qPrintable(sheet()->pointerText()));
        QTest::keyClick(sheet(), Qt::Key_Escape);
        drag(sheet(), onReference(0, -40), onReference(30, -41));
        QVERIFY2(sheet()->pointerText().contains("no edge above"), qPrintable(sheet()->pointerText()));
        QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, QPoint(5, 5));
        QVERIFY(sheet()->pointerText().isEmpty() || !session().draft());
    }
    void searchAndLearningAreasAreDrawn()
    {
        openDemo();
        session().select("plate");
        QTest::qWait(20);
        auto* draw = form()->findChild<QToolButton*>("drawRegion_search");
        QVERIFY(draw);
        draw->click();
        QVERIFY(waitFor([&] { return session().recipe().find("plate")->regions.count("search") > 0; }));
        QVERIFY(settled());
        QVERIFY(waitFor([&] { return form()->findChild<QToolButton*>("dropRegion_search") != nullptr; }));
        // Its handle moves it.
        session().setShowReference(true);
        const Region before = session().recipe().find("plate")->regions.at("search");
        const Point corner = before.centre + geometry::direction(before.angle) * (before.width / 2);
        drag(sheet(), sheet()->screenOf(corner), sheet()->screenOf(corner) - QPointF(40, 0));
        QVERIFY(session().recipe().find("plate")->regions.at("search").width < before.width - 10);
        form()->findChild<QToolButton*>("dropRegion_search")->click();
        QVERIFY(waitFor([&] { return session().recipe().find("plate")->regions.count("search") == 0; }));
        session().select("slots");
        QTest::qWait(20);
        auto* learn = form()->findChild<QToolButton*>("drawRegion_learn");
        QVERIFY(learn);
        learn->click();
        QVERIFY(waitFor([&] { return session().recipe().find("slots")->regions.count("learn") > 0; }));
    }
    void reversingAStrokeTurnsTheSearchOnce()
    {
        openDemo();
        session().setShowReference(true);
        session().select({});
        const auto drawn = [&](bool reversed) {
            sheet()->setArmedKind("line");
            const QPointF from = onReference(-30, -13), to = onReference(30, -13);
            QTest::mousePress(sheet(), Qt::LeftButton, Qt::NoModifier, from.toPoint());
            for (int i = 1; i <= 6; ++i) {
                const QPointF at = from + (to - from) * i / 6.0;
                QMouseEvent move(QEvent::MouseMove, at, sheet()->mapToGlobal(at), Qt::NoButton, Qt::LeftButton,
                                 Qt::NoModifier);
                QApplication::sendEvent(sheet(), &move);
            }
            if (reversed) sheet()->reverse();
            QTest::mouseRelease(sheet(), Qt::LeftButton, Qt::NoModifier, to.toPoint());
            if (!session().draft()) return 0.0;
            const Step s = session().draft()->offer().step;
            session().dropDraft();
            // Which way the search goes: to the left of the stroke, or to its right when the flag says so.
            const Region w = s.regions.at("window");
            const Point n =
                geometry::leftOf(geometry::unit(w.to - w.from)) * (findKind("line")->isReversed(s.params) ? -1.0 : 1.0);
            return n.y;
        };
        const double plain = drawn(false), turned = drawn(true);
        QVERIFY(std::abs(plain) > 0.5 && std::abs(turned) > 0.5);
        QVERIFY(plain * turned < 0);
    }

    // ---- the form
    void everyListOfEveryKindCanBeChanged()
    {
        openDemo();
        // A recipe in which every kind stands with whatever fits it.
        session().change("all kinds", [](Recipe& r) {
            for (const StepKind& k : allStepKinds()) {
                if (k.key == "pattern") continue;
                Step s = makeStep(r, k);
                s.id = "x_" + k.key;
                if (!k.datum) s.datum = "plate";
                for (const RegionSpec& spec : k.regions) {
                    const auto shape = spec.shapes.front();
                    if (shape == geometry::Shape::Window)
                        s.regions[spec.key] = Region::window({300, 300}, {400, 300}, 12);
                    else if (shape == geometry::Shape::Ring) s.regions[spec.key] = Region::ring({400, 300}, 10, 30);
                    else s.regions[spec.key] = Region::rectangle({400, 300}, 200, 100);
                }
                for (const InputSpec& in : k.inputs)
                    for (const Step& from : r.steps)
                        if (const StepKind* giver = findKind(from.kind);
                            in.needed && from.id.rfind("x_", 0) != 0 && giver->hasFeature &&
                            std::find(in.accepts.begin(), in.accepts.end(), giver->feature) != in.accepts.end())
                            s.inputs[in.key] = from.id;
                r.steps.push_back(s);
            }
        });
        QVERIFY(settled());
        int changed = 0;
        std::vector<std::string> ids;
        for (const Step& s : session().recipe().steps) ids.push_back(s.id);
        for (const std::string& id : ids) {
            session().select(id);
            if (auto* all = form()->findChild<QToolButton*>("allSettings"); all && all->text().startsWith("all")) {
                all->click();
                QTest::qWait(1);
            }
            QStringList names;
            for (QComboBox* box : form()->findChildren<QComboBox*>()) names << box->objectName();
            for (const QString& name : names) {
                for (const bool byMouse : {true, false}) {
                    auto* box = form()->findChild<QComboBox*>(name);
                    if (!box || box->count() < 2) continue; // another choice took the list away
                    const int to = (box->currentIndex() + 1) % box->count();
                    if (byMouse) {
                        // Opened, the entry clicked: the signal comes from inside the list's own event.
                        box->showPopup();
                        QTest::qWait(1);
                        if (!box->view()->isVisible()) continue;
                        QTest::mouseClick(box->view()->viewport(), Qt::LeftButton, Qt::NoModifier,
                                          box->view()->visualRect(box->model()->index(to, 0)).center());
                    } else {
                        box->setFocus();
                        QTest::keyClick(box, box->currentIndex() + 1 < box->count() ? Qt::Key_Down : Qt::Key_Up);
                    }
                    QTest::qWait(1);
                    QApplication::processEvents();
                    QApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
                    ++changed;
                }
            }
            if (!session().recipe().find(id)) break;
        }
        QVERIFY2(changed > 150, qPrintable(QString::number(changed)));
    }
    void keysBelongToTheOpenList()
    {
        openDemo();
        session().select("width");
        QTest::qWait(20);
        const int steps = int(session().recipe().steps.size());
        auto* box = form()->findChild<QComboBox*>("rule");
        QVERIFY(box);
        box->showPopup();
        QVERIFY(waitFor([&] { return QApplication::activePopupWidget() != nullptr; }));
        QWidget* list = box->view();
        for (const Qt::Key k : {Qt::Key_E, Qt::Key_G, Qt::Key_B, Qt::Key_Q}) QTest::keyClick(list, k);
        QVERIFY(!session().showsReference());
        QVERIFY(session().recipe().trials[0].label == session().recipe().trials[0].label &&
                int(session().recipe().steps.size()) == steps);
        QTest::keyClick(list, Qt::Key_Escape);
        QVERIFY(waitFor([&] { return QApplication::activePopupWidget() == nullptr; }));
        QCOMPARE(session().selected(), std::string("width")); // Esc closed the list and let nothing else go
    }
    void contradictionsAreNotTaken()
    {
        openDemo();
        session().select("slots");
        session().change("fixed", [](Recipe& r) {
            const StepKind* k = findKind("blobs");
            Step& s = *r.find("slots");
            k->param("mode")->put(s.params, Value(std::string("fixed")));
            k->param("low")->put(s.params, Value(100.0)), k->param("high")->put(s.params, Value(200.0));
        });
        QTest::qWait(20);
        auto* low = form()->findChild<QDoubleSpinBox*>("low");
        QVERIFY(low);
        low->setValue(230);
        QTest::qWait(20);
        QCOMPARE(std::get<double>(findKind("blobs")->param("low")->get(session().recipe().find("slots")->params)),
                 100.0);
        QVERIFY(m_window->findChild<QLabel*>("said")->text().contains("is above"));
        QVERIFY(waitFor([&] { return form()->findChild<QDoubleSpinBox*>("low")->value() == 100; }));
    }

    void boxesOfTheFormDoWhatTheySay()
    {
        openDemo();
        // Judge another value, filter by one, a region that is a result.
        session().select("slots");
        const auto choose = [&](const QString& name, const QString& entry) {
            QVERIFY(waitFor([&] { return form()->findChild<QComboBox*>(name) != nullptr; }));
            auto* box = form()->findChild<QComboBox*>(name);
            const int at = box->findText(entry);
            QVERIFY2(at > 0, qPrintable(entry));
            box->setCurrentIndex(at);
            emit box->activated(at);
            QTest::qWait(5);
        };
        choose("judgeAlso", "Equal-area diameter");
        QVERIFY(waitFor([&] { return session().recipe().find("slots")->checks.back().output == "equal_diameter"; }));
        QVERIFY(settled());
        const auto& judged = session().result(0)->items[0].checks;
        QVERIFY(std::any_of(judged.begin(), judged.end(),
                            [](const auto& c) { return c.output == "equal_diameter" && c.values.size() >= 9; }));
        choose("filterBy", "Net size");
        QVERIFY(waitFor([&] { return !session().recipe().find("slots")->filters.empty(); }));
        auto* range = form()->findChild<QLineEdit*>("filter_net_area");
        QVERIFY(range);
        QVERIFY(settled());
        range = form()->findChild<QLineEdit*>("filter_net_area");
        const double count = value(*session().result(0), "slots", "count");
        range->setText(">= 1000000");
        emit range->editingFinished();
        QVERIFY(settled());
        QVERIFY(waitFor([&] { return session().result(0) && value(*session().result(0), "slots", "count") == 0; }));
        QCOMPARE(value(*session().result(0), "slots", "left_by_filters"), count);
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(settled());
        auto* box = form()->findChild<QComboBox*>("filterBy");
        QVERIFY(box && box->findText("Present at each place") < 0); // it filters no object
        choose("regionOf_region", "where Left hole is");
        QVERIFY(waitFor([&] { return session().recipe().find("slots")->regionsOf.count("region") > 0; }));
    }
    void leavingOutColoursPlacesAndTheEmptyPicture()
    {
        openDemo();
        session().setShowReference(true);
        session().select("slots");
        QVERIFY(settled());
        const double before = value(*session().currentResult(), "slots", "count");
        // X and a stroke through the row of slots, then an area: both are left out.
        QTest::keyClick(sheet(), Qt::Key_X);
        drag(sheet(), onReference(-40, 0), onReference(-20, 0), Qt::ControlModifier);
        QCOMPARE(int(session().recipe().find("slots")->leaveOut.size()), 1);
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(session().recipe().find("slots")->leaveOut.empty());
        QTest::keyClick(sheet(), Qt::Key_X);
        drag(sheet(), onReference(-45, -11), onReference(-25, 8), Qt::ControlModifier);
        QCOMPARE(int(session().recipe().find("slots")->leaveOut.size()), 1);
        QVERIFY(settled());
        QVERIFY(value(*session().currentResult(), "slots", "count") < before);
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier);
        // Places from the objects: as many as there are, each present.
        session().placesFromObjects();
        QCOMPARE(double(session().recipe().find("slots")->places.size()), before);
        QVERIFY(settled());
        QCOMPARE(value(*session().currentResult(), "slots", "missing"), 0.0);
        // Colour: a click takes one, Shift and a click refuses one; of a grey picture the grey.
        session().change("colour", [](Recipe& r) {
            findKind("blobs")->param("mode")->put(r.find("slots")->params, Value(std::string("colour")));
        });
        const QPoint slot = onReference(-34, -4).toPoint(), brass = onReference(-43, 3).toPoint();
        QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, slot);
        QTest::mouseClick(sheet(), Qt::LeftButton, Qt::ShiftModifier, brass);
        const auto& samples = session().recipe().find("slots")->samples;
        QVERIFY(samples.size() == 2 && !samples[0].refused && samples[1].refused);
        QVERIFY(settled());
        QVERIFY(session().currentItem()->step("slots")->state == inspect::State::Ok);
        // The picture in view becomes the empty one.
        session().setTrial(2);
        QVERIFY(session().takeEmpty());
        QVERIFY(!session().recipe().empty.empty());
    }

    // ---- proposals
    void enterTakesNoProposalOfUnlabelledTrials()
    {
        openDemo();
        session().change("open", [](Recipe& r) {
            for (Trial& t : r.trials) t.label = Label::Open;
        });
        session().select({}); // no handle lies in the way
        drag(sheet(), onSheet(-34, -17), onSheet(-34, 17));
        QVERIFY(session().draft());
        QVERIFY(settled());
        key(Qt::Key_Return);
        QVERIFY(waitFor([&] { return session().proposal().has_value(); }));
        QVERIFY(session().proposal()->words.contains("unlabelled"));
        const std::string id = session().selected();
        giveKeys(sheet());
        key(Qt::Key_Return);
        QVERIFY(!session().recipe().find(id)->checks.front().limits.any());
        QVERIFY(session().proposal());
        // Labelled, it is worked out anew and Enter takes it.
        const auto first = *session().proposal()->limits.low;
        session().change("good", [](Recipe& r) {
            for (std::size_t t = 0; t < 2; ++t) r.trials[t].label = Label::Good;
        });
        QVERIFY(waitFor([&] { return session().proposal() && !session().proposal()->words.contains("unlabelled"); }));
        QVERIFY(*session().proposal()->limits.low != first);
        key(Qt::Key_Return);
        QVERIFY(session().recipe().find(id)->checks.front().limits.any());
    }

    // ---- the sheet
    void aStepJustTakenIsNotResizedByTheNextStroke()
    {
        openBare();
        drag(sheet(), onReference(-52, -15), onReference(52, 15), Qt::ControlModifier);
        QVERIFY(session().draft());
        session().takeDraft();
        const Region part = session().recipe().steps[0].regions.at("part");
        QVERIFY(settled());
        // From a corner handle of the datum: a new stroke, not an edit.
        const Point corner = part.centre + Point{part.width / 2, 0};
        drag(sheet(), sheet()->screenOf(corner), sheet()->screenOf(corner) + QPointF(-60, 4));
        QVERIFY(session().recipe().steps[0].regions.at("part") == part);
        session().dropDraft();
        // A click wakes its handles.
        session().select(session().recipe().steps[0].id);
        QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, sheet()->screenOf(corner).toPoint());
        session().dropDraft();
        session().select(session().recipe().steps[0].id);
        drag(sheet(), sheet()->screenOf(corner), sheet()->screenOf(corner) + QPointF(-30, 0));
        QVERIFY(!(session().recipe().steps[0].regions.at("part") == part));
    }
    void whatIsHeldEndsWithTheFocus()
    {
        openDemo();
        giveKeys(sheet());
        QTest::keyPress(sheet(), Qt::Key_Space);
        QVERIFY(sheet()->spaceHeld());
        QFocusEvent out(QEvent::FocusOut, Qt::ActiveWindowFocusReason);
        QApplication::sendEvent(sheet(), &out);
        QVERIFY(!sheet()->spaceHeld());
        QTest::keyRelease(sheet(), Qt::Key_Space);
    }
    void sheetAloneAndGridAloneAreNeverBoth()
    {
        openDemo();
        action("sheetAlone")->trigger();
        QVERIFY(sheet()->isVisible() && !grid()->isVisible());
        action("gridAlone")->trigger();
        QVERIFY(grid()->isVisible() && !sheet()->isVisible());
        QVERIFY(!action("sheetAlone")->isChecked());
        action("sheetAlone")->trigger();
        QVERIFY(sheet()->isVisible() && !grid()->isVisible());
        action("sheetAlone")->trigger();
        QVERIFY(sheet()->isVisible() && grid()->isVisible());
    }
    void wideColumnsShowTheirFigure()
    {
        openDemo();
        grid()->setColumnWidth(72);
        const auto cell = cellFor(session().result(0), "width", "distance", 25.9, 26.1);
        bool number = false; // its unit stands in the row's head
        QVERIFY2(std::abs(cell.figure.toDouble(&number) - 26) < 1 && number, qPrintable(cell.figure));
        // The figure is drawn: more ink in the wide cell than its tick alone.
        int row = -1;
        for (int r = 0; r < 30 && row < 0; ++r)
            if (grid()->cellRect(r, 0).height() == 22 && grid()->cellRect(r, 0).top() > 40) row = r;
        QVERIFY(row >= 0);
        const QImage wide = grid()->viewport()->grab(grid()->cellRect(row, 0)).toImage();
        int dark = 0;
        for (int y = 0; y < wide.height(); ++y)
            for (int x = 0; x < wide.width(); ++x) dark += qGray(wide.pixel(x, y)) < 120;
        QVERIFY2(dark > 40, qPrintable(QString::number(dark)));
    }
    void picturesOfTwelveBitAreShownWithTheirRange()
    {
        for (const int bits : {10, 12, 14, 16}) {
            image::Image p(64, 4, image::PixelFormat::Grey16);
            for (int y = 0; y < 4; ++y)
                for (int x = 0; x < 64; ++x)
                    reinterpret_cast<std::uint16_t*>(p.row(y))[x] = std::uint16_t(((1 << bits) - 1) * x / 63);
            const QImage shown = report::toQImage(p);
            QVERIFY2(qGray(shown.pixel(63, 0)) == 255 && qGray(shown.pixel(0, 0)) == 0,
                     qPrintable(QString::number(bits)));
            QVERIFY(std::abs(qGray(shown.pixel(32, 2)) - 129) <= 2);
        }
    }
    void theFirstWindowFitsItsScreen()
    {
        const QSize screen = QGuiApplication::primaryScreen()->availableSize();
        QSettings().remove("geometry");
        MainWindow fresh(smallStation(), m_place.path("other"));
        QVERIFY(fresh.width() <= std::max(fresh.minimumWidth(), screen.width()) &&
                fresh.height() <= std::max(fresh.minimumHeight(), screen.height() - 40));
    }
    void listsAreReadInRecords()
    {
        openDemo();
        m_window->showWorkspace(1);
        auto* run = m_window->findChild<RunPage*>();
        QVERIFY(run->release("A. Person"));
        run->takeOne();
        QVERIFY(waitFor([&] { return run->itemCount() > 0; }));
        m_window->showWorkspace(2);
        RecordsPage& page = *m_window->recordsPage();
        auto* heads = m_window->findChild<RecordHeads*>("recordHeads");
        page.wait();
        QVERIFY(page.item() && !page.item()->values.empty());
        session().newRecipe();
        // A list written by hand: every number is there.
        const auto log = records::RecordLog::open(run->logPath());
        inspect::PictureResult r;
        r.picture = "by-hand.png";
        r.items.resize(1);
        inspect::CheckResult c;
        c.step = "s", c.output = "areas", c.name = "Sizes", c.list = true, c.values = {1.25, 3.5, 17},
        c.unit = base::Unit::SquareMillimetre;
        r.items[0].checks = {c};
        QVERIFY(support::logOne(**log, Recipe{}, r, "b"));
        m_window->showWorkspace(0);
        m_window->showWorkspace(2);
        page.wait();
        // The newest item is followed; its check is the last row: the demo's recipe has the others.
        const auto row = [&] {
            const auto& rows = page.model().view().order;
            for (std::size_t i = 0; i < rows.size(); ++i)
                if (heads->rowText(int(i))[0] == "Sizes") return int(i);
            return -1;
        };
        QVERIFY(row() >= 0 && heads->rowText(row())[1] == "3 values");
        QVERIFY2(heads->about(row()).contains("3 values: 1.25; 3.50; 17.00 mm²"), qPrintable(heads->about(row())));
        // Elements with limits of their own are read with them, a missing one by its name.
        inspect::ElementResult first, lost;
        first.name = "left", first.value = 1, first.verdict = Verdict::Pass, first.low = 3, first.high = 4;
        lost.name = "right", lost.verdict = Verdict::Fail, lost.reason = "missing", lost.low = 5, lost.high = 6;
        r.items[0].checks[0].elements = {first, lost};
        QVERIFY(support::logOne(**log, Recipe{}, r, "b"));
        m_window->showWorkspace(0);
        m_window->showWorkspace(2);
        page.wait();
        QVERIFY(heads->rowText(row())[3] == "each its own");
        const QString tip = heads->about(row());
        QVERIFY2(tip.contains("left: 3.50 mm², limits 3 to 4, pass") &&
                     tip.contains("right: missing, limits 5 to 6, fail"),
                 qPrintable(tip));
    }

private:
    QPointF onSheet(double x, double y)
    {
        const auto motion =
            inspect::Placing(session().prepared()->recipe(), session().currentItem()).following("plate");
        const double k = 1 / smallField().mmPerPixel;
        return sheet()->screenOf(motion->motion().now.toPicture({x * k, y * k}));
    }
};
QTEST_MAIN(TruthWindowTest)
#include "truth_window_test.moc"
