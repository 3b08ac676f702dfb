// Every kind of step made by its gesture and by keys alone, in the real window, and checked against what the demo's
// part is known to be; each copied, edited, repeated and taken back.
#include "desktop/param_form.h"
#include "desktop/setup/step_acts.h"
#include "desktop/ties_line.h"
#include "kind_gestures.h"
#include "window_support.h"

#include <QAbstractSpinBox>
#include <QInputDialog>
#include <QLineEdit>
#include <QToolButton>
#include <nlohmann/json.hpp>

using namespace support;
using namespace desktop;
using namespace gestures;

class KindsWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_dir;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    SetupPage& page() { return *m_window->setupPage(); }
    SheetView* sheet() { return page().sheet(); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); }, 60000);
    }
    QPointF at(Point mm)
    {
        const auto motion =
            inspect::Placing(session().prepared()->recipe(), session().currentItem()).following("plate");
        if (!motion) qFatal("no plate in view");
        const double k = 1 / session().recipe().mmPerPixel();
        return sheet()->screenOf(motion->motion().now.toPicture(mm * k));
    }
    void key(int k, Qt::KeyboardModifiers m = Qt::NoModifier)
    {
        giveKeys(sheet());
        QTest::keyClick(sheet(), Qt::Key(k), m);
        QVERIFY(settled());
    }
    std::string text() { return recipe::toJson(session().recipe(), "/").dump(); }
    void act(const Hand& hand)
    {
        std::vector<QPointF> way;
        for (const Point p : hand.path) way.push_back(at(p));
        if (hand.way == Hand::Way::Click) {
            QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, way[0].toPoint());
            return;
        }
        const auto keys = hand.way == Hand::Way::Area ? Qt::ControlModifier : Qt::NoModifier;
        if (hand.way == Hand::Way::Area) { // a frame, wherever its corners come to lie
            QRectF box;
            for (const Point p : {hand.path[0], hand.path[1], Point{hand.path[0].x, hand.path[1].y},
                                  Point{hand.path[1].x, hand.path[0].y}})
                box |= QRectF(at(p), QSizeF(1, 1));
            way = {box.topLeft(), box.bottomRight()};
        }
        QTest::mousePress(sheet(), Qt::LeftButton, keys, way[0].toPoint());
        for (std::size_t i = 1; i < way.size(); ++i)
            for (int n = 1; n <= 8; ++n) {
                const QPointF now = way[i - 1] + (way[i] - way[i - 1]) * n / 8.0;
                QMouseEvent move(QEvent::MouseMove, now, sheet()->mapToGlobal(now), Qt::NoButton, Qt::LeftButton, keys);
                QApplication::sendEvent(sheet(), &move);
            }
        QTest::mouseRelease(sheet(), Qt::LeftButton, keys, way.back().toPoint());
    }
    void choose(const char* kind)
    {
        const recipe::StepKind* k = recipe::findKind(kind);
        auto* b = page().findChild<QToolButton*>(QStringLiteral("question%1").arg(int(k->question)));
        QVERIFY(b && b->menu());
        for (QAction* a : b->menu()->actions())
            if (a->objectName() == QStringLiteral("kind_") + QLatin1String(kind)) a->trigger();
        QCOMPARE(sheet()->armedKind(), std::string(kind));
    }
    double valueOf(const std::string& step, const char* output)
    {
        const auto* r = session().currentItem()->step(step);
        const auto* o = r ? r->output(output) : nullptr;
        return o && !o->values.empty() ? o->values.front() : std::nan("");
    }
    // Copied and pasted, edited, repeated: each answers, each is taken back whole.
    void handle(const std::string& id)
    {
        const std::string before = text();
        const recipe::Step step = *session().recipe().find(id);
        const recipe::StepKind* kind = recipe::findKind(step.kind);
        session().select(id);
        key(Qt::Key_C, Qt::ControlModifier);
        const auto n = session().recipe().steps.size();
        key(Qt::Key_V, Qt::ControlModifier);
        QCOMPARE(session().recipe().steps.size(), n + 1);
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(text(), before);
        // A setting by its field.
        session().select(id);
        QVERIFY(settled());
        for (const recipe::ParamSpec& p : kind->params) {
            auto* field = page().evidence()->form()->findChild<QAbstractSpinBox*>(QString::fromStdString(p.key));
            if (!field || !field->isVisible()) continue;
            giveKeys(field);
            const auto was = p.get(session().recipe().find(id)->params);
            QTest::keyClick(field, Qt::Key_Up);
            if (p.get(session().recipe().find(id)->params) == was) QTest::keyClick(field, Qt::Key_Down);
            QVERIFY2(p.get(session().recipe().find(id)->params) != was, p.key.c_str());
            QVERIFY(settled());
            key(Qt::Key_Z, Qt::ControlModifier);
            QCOMPARE(text(), before);
            break;
        }
        // A name.
        session().select(id);
        key(Qt::Key_F2);
        auto* name = qobject_cast<QLineEdit*>(QApplication::focusWidget());
        QVERIFY(name && name->objectName() == QStringLiteral("stepName"));
        QTest::keyClicks(name, QStringLiteral("Another"));
        QTest::keyClick(name, Qt::Key_Return);
        QCOMPARE(session().recipe().find(id)->name, std::string("Another"));
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(text(), before);
        if (step.regions.empty() || kind->datum) return;
        session().select(id);
        giveKeys(sheet());
        whenDialog<CopiesDialog>([](CopiesDialog& d) { d.accept(); });
        QTest::keyClick(sheet(), Qt::Key_D, Qt::ControlModifier);
        QVERIFY(settled());
        QVERIFY(session().recipe().steps.size() > n);
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(text(), before);
    }
private slots:
    void initTestCase()
    {
        const std::string path = writeDemo(m_dir, 3);
        m_window = openWindow(m_place.path("data"));
        QVERIFY(m_window->openRecipe(QString::fromStdString(path)));
        QVERIFY(settled());
        session().setShowReference(true);
        QVERIFY(settled());
        // The left end of the plate as a line, for what needs two that cross.
        choose("line");
        act(stroke({-50, -9}, {-50, 4}));
        QVERIFY(session().draft());
        key(Qt::Key_Return);
        QVERIFY(session().recipe().find(session().selected()));
        sheet()->fitPicture();
    }
    void cleanupTestCase()
    {
        if (m_window) m_window->session().forgetRecovery();
        m_window.reset();
    }
    void everyKindIsInTheTable()
    {
        std::set<std::string> there;
        for (const auto& list : {makings(), heightMakings(), drawnMakings()})
            for (const Making& m : list) there.insert(m.kind);
        for (const recipe::StepKind& k : recipe::allStepKinds())
            QVERIFY2(there.count(k.key) || k.key == "formula", k.key.c_str());
    }
    void byGesture_data()
    {
        QTest::addColumn<int>("row");
        const auto all = makings();
        for (int i = 0; i < int(all.size()); ++i)
            QTest::newRow(qPrintable(QString("%1 %2").arg(i).arg(all[std::size_t(i)].kind))) << i;
    }
    void byGesture()
    {
        QFETCH(int, row);
        const Making m = makings()[std::size_t(row)];
        const std::string before = text();
        const auto steps = session().recipe().steps.size();
        choose(m.kind);
        act(m.hand);
        QVERIFY2(session().draft(), qPrintable(sheet()->pointerText()));
        for (int i = 0; *m.words && i < 5 && session().draft()->offer().words != m.words; ++i) key(Qt::Key_Tab);
        if (*m.words) QCOMPARE(QString::fromStdString(session().draft()->offer().words), QString(m.words));
        QCOMPARE(session().draft()->offer().step.kind, std::string(m.kind));
        const std::string id = session().draft()->offer().step.id;
        QVERIFY(settled());
        key(Qt::Key_Return);
        QVERIFY(session().recipe().steps.size() > steps);
        QVERIFY(settled());
        const auto* r = session().currentItem()->step(id);
        QVERIFY(r);
        if (*m.output) {
            QVERIFY2(r->state == inspect::State::Ok, r->reason.c_str());
            const double v = valueOf(id, m.output);
            QVERIFY2(recipe::findKind(m.kind)->output(m.output), m.output);
            const recipe::Step& s = *session().recipe().find(id);
            const base::Unit unit = session().recipe().unitOf(s, *recipe::findKind(m.kind)->output(m.output));
            // Values are in the recipe's units: mm and mm² here.
            QVERIFY2(v >= m.low && v <= m.high, qPrintable(QString("%1 = %2 %3, wanted %4 .. %5")
                                                               .arg(m.output)
                                                               .arg(v)
                                                               .arg(base::symbol(unit))
                                                               .arg(m.low)
                                                               .arg(m.high)));
        } else {
            QVERIFY(r->state == inspect::State::Ok || !r->reason.empty());
        }
        if (session().proposal()) session().dropProposal();
        handle(id);
        if (QTest::currentTestFailed()) return;
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(text(), before);
    }
    void byKeysAlone_data()
    {
        QTest::addColumn<QString>("kind");
        for (const recipe::StepKind& k : recipe::allStepKinds())
            QTest::newRow(k.key.c_str()) << QString::fromStdString(k.key);
    }
    void byKeysAlone()
    {
        QFETCH(QString, kind);
        const std::string before = text();
        const auto steps = session().recipe().steps.size();
        const recipe::StepKind* k = recipe::findKind(kind.toStdString());
        giveKeys(sheet());
        whenDialog<QInputDialog>([&](QInputDialog& d) {
            for (const QString& item : d.comboBoxItems())
                if (item.endsWith(QStringLiteral("· ") + QString::fromStdString(k->label))) d.setTextValue(item);
            d.accept();
        });
        QTest::keyClick(sheet(), Qt::Key_K);
        QVERIFY(session().draft());
        QCOMPARE(session().draft()->offer().step.kind, k->key);
        const std::string id = session().draft()->offer().step.id;
        QVERIFY(settled());
        key(Qt::Key_Return);
        QCOMPARE(session().recipe().steps.size(), steps + 1);
        QVERIFY(settled());
        // It measures, or says why not.
        const auto* r = session().currentItem()->step(id);
        QVERIFY(r && (r->state == inspect::State::Ok || !r->reason.empty()));
        // What reads others finds what fits.
        if (k->regions.empty() && !k->inputs.empty() && k->pictures.empty() && k->key != "circle_through")
            QVERIFY2(r->state == inspect::State::Ok, r->reason.c_str());
        if (session().proposal()) session().dropProposal();
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(text(), before);
    }
    void aCurvedStrokeIsAnArc()
    {
        // Along the lower half of a hole that nobody has found yet.
        const std::string before = text();
        session().select("hole_right");
        key(Qt::Key_Delete);
        const double x = demo::kHolePitch / 2, y = demo::kHoleY, r = demo::kHoleRadius;
        // Larger on the screen, as a person would.
        for (int i = 0; i < 7; ++i) key(Qt::Key_Plus);
        const QPointF shift = QPointF(sheet()->width() / 2.0, sheet()->height() / 2.0) - at({x, y});
        QTest::mousePress(sheet(), Qt::MiddleButton, Qt::NoModifier, QPoint(300, 200));
        QMouseEvent move(QEvent::MouseMove, QPointF(300, 200) + shift, sheet()->mapToGlobal(QPointF(300, 200) + shift),
                         Qt::NoButton, Qt::MiddleButton, Qt::NoModifier);
        QApplication::sendEvent(sheet(), &move);
        QTest::mouseRelease(sheet(), Qt::MiddleButton, Qt::NoModifier, (QPointF(300, 200) + shift).toPoint());
        Hand hand;
        for (int a = 20; a <= 160; a += 10)
            hand.path.push_back({x + r * std::cos(geometry::radians(a)), y + r * std::sin(geometry::radians(a))});
        act(hand);
        QVERIFY2(session().draft(), qPrintable(sheet()->pointerText()));
        QCOMPARE(QString::fromStdString(session().draft()->offer().words), QStringLiteral("arc"));
        const std::string id = session().draft()->offer().step.id;
        QCOMPARE(session().draft()->offer().step.regions.at("ring").shape, geometry::Shape::Arc);
        QVERIFY(settled());
        key(Qt::Key_Return);
        QVERIFY(settled());
        const double radius = valueOf(id, "radius");
        QVERIFY2(std::abs(radius - r) < 0.04, qPrintable(QString::number(radius)));
        key(Qt::Key_Z, Qt::ControlModifier);
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(text(), before);
        sheet()->fitPicture();
    }
    void pointingAtTwoFeaturesShowsTheirDistance()
    {
        const std::string before = text();
        const auto point = [&](Point mm) {
            const QPointF to = at(mm);
            QMouseEvent move(QEvent::MouseMove, to, sheet()->mapToGlobal(to), Qt::NoButton, Qt::NoButton,
                             Qt::NoModifier);
            QApplication::sendEvent(sheet(), &move);
        };
        const double x = demo::kHolePitch / 2, y = demo::kHoleY;
        point({-x, y});
        key(Qt::Key_M);
        QVERIFY(sheet()->modes().contains("measure from Left hole"));
        point({0, y + 20}); // over nothing: nothing yet
        QVERIFY(!session().draft());
        point({x, y});
        QVERIFY(session().draft());
        QVERIFY(session().draft()->values.front().startsWith("9"));
        // Another feature on the way: its distance instead.
        point({10, -demo::kPlateWidth / 2});
        QVERIFY(session().draft());
        const std::string id = session().draft()->offer().step.id;
        QVERIFY(settled());
        key(Qt::Key_Return);
        QVERIFY(settled());
        QVERIFY(!sheet()->modes().contains("measure"));
        QVERIFY(std::abs(valueOf(id, "distance") - (y + demo::kPlateWidth / 2)) < 0.05);
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(text(), before);
        // Esc lets go of it without a trace.
        point({-x, y});
        key(Qt::Key_M);
        point({x, y});
        QVERIFY(session().draft());
        key(Qt::Key_Escape);
        QVERIFY(!session().draft() && !sheet()->modes().contains("measure"));
        QCOMPARE(text(), before);
    }
    void cornersComeAndGo()
    {
        const std::string before = text();
        choose("blobs");
        act(area({-43, -11}, {41, 11}));
        QVERIFY(session().draft());
        const std::string id = session().draft()->offer().step.id;
        key(Qt::Key_Return);
        if (session().proposal()) session().dropProposal();
        while (session().recipe().find(id)->regions.at("region").shape != geometry::Shape::Polygon) key(Qt::Key_C);
        const auto corners = [&] { return session().recipe().find(id)->regions.at("region").points; };
        QCOMPARE(corners().size(), std::size_t(4));
        const auto place = [&](std::size_t i) {
            const auto motion =
                inspect::Placing(session().prepared()->recipe(), session().currentItem()).following("plate");
            return sheet()->screenOf(motion->toPicture(corners()[i]));
        };
        const QPointF side = (place(0) + place(1)) / 2;
        QTest::mouseDClick(sheet(), Qt::LeftButton, Qt::NoModifier, side.toPoint());
        QCOMPARE(corners().size(), std::size_t(5));
        QVERIFY(QLineF(place(1), side).length() < 2);
        for (std::size_t left = 4; left >= 3; --left) {
            QTest::mouseDClick(sheet(), Qt::LeftButton, Qt::NoModifier, place(1).toPoint());
            QCOMPARE(corners().size(), left);
        }
        QTest::mouseDClick(sheet(), Qt::LeftButton, Qt::NoModifier, place(1).toPoint()); // the least there can be
        QCOMPARE(corners().size(), std::size_t(3));
        while (text() != before && session().canUndo()) key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(text(), before);
    }
    void aClickOnTheArrowTurnsItRound()
    {
        const std::string before = text();
        session().select("width");
        QVERIFY(settled());
        const auto window = [&] { return session().recipe().find("width")->regions.at("window"); };
        const auto was = window();
        QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, at({-33.9, 0}).toPoint());
        QVERIFY(geometry::distance(window().from, was.to) < 1e-9);
        QVERIFY(settled());
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(text(), before);
    }
    void aWidthRoundACentreIsAnAngle()
    {
        const std::string before = text();
        // Across the right hole's ring: round the left hole the same pair is an angle.
        choose("edge_pair");
        const double x = demo::kHolePitch / 2, y = demo::kHoleY;
        act(stroke({x, y - 3}, {x, y + 3}));
        QVERIFY(session().draft());
        key(Qt::Key_C);
        const auto& step = session().draft()->offer().step;
        QCOMPARE(step.regions.at("window").shape, geometry::Shape::Arc);
        QCOMPARE(step.checks.front().output, std::string("angle"));
        QCOMPARE(step.checks.front().limits.unit, base::Unit::Degree);
        QVERIFY(settled());
        // A chord of 2 r seen from its distance; about the hole itself no arc would make sense.
        const auto* r = session().currentItem()->step(step.id);
        QVERIFY2(r && r->state == inspect::State::Ok, r ? r->reason.c_str() : "");
        const double angle = valueOf(step.id, "angle");
        const double about = geometry::degrees(2 * std::asin(demo::kHoleRadius / (2 * x)));
        QVERIFY2(std::abs(angle - about) < 0.15, qPrintable(QString("%1 for %2").arg(angle).arg(about)));
        key(Qt::Key_Escape);
        QCOMPARE(text(), before);
    }
    void aFormulaShowsItsNumbers()
    {
        const std::string before = text();
        giveKeys(sheet());
        QTest::keyClick(sheet(), Qt::Key_Equal);
        QVERIFY(session().draft());
        QTRY_VERIFY(QApplication::focusWidget() && QApplication::focusWidget()->objectName() == "expression");
        QTest::keyClicks(QApplication::focusWidget(), "[Hole pitch] - 92");
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
        QVERIFY(settled());
        auto* about = page().evidence()->findChild<QLabel*>("evidenceAbout");
        QTRY_VERIFY2(about->text().contains("[Hole pitch] = 9"), qPrintable(about->text()));
        key(Qt::Key_Escape);
        QCOMPARE(text(), before);
    }
    void tiesAreJumps()
    {
        session().select("pitch");
        QVERIFY(settled());
        auto* ties = page().evidence()->findChild<TiesLine*>("evidenceTies");
        QVERIFY2(ties->text().contains("Left hole") && ties->text().contains("Right hole"), qPrintable(ties->text()));
        // By a click on the name.
        const int before_ = QFontMetrics(ties->font()).horizontalAdvance("reads ");
        QTest::mouseClick(ties, Qt::LeftButton, Qt::NoModifier, QPoint(15 + before_ + 8, 9));
        QCOMPARE(session().selected(), std::string("hole_left"));
        QVERIFY(ties->text().contains("read by") && ties->text().contains("Hole pitch"));
        // Its rows carry the dots of the grid.
        session().select("pitch");
        int read = 0;
        const auto& source = page().grid()->source();
        for (int r = 0; r < source.rows(); ++r) read += source.row(r).tie == GridRow::Tie::Read;
        // The holes are folded away as features; unfold them.
        for (int r = 0; r < source.rows(); ++r)
            if (source.row(r).kind == RowKind::FeaturesLine) {
                emit page().grid()->foldToggled(r);
                break;
            }
        int unfolded = 0;
        for (int r = 0; r < source.rows(); ++r) unfolded += source.row(r).tie == GridRow::Tie::Read;
        QCOMPARE(unfolded, 2);
        QVERIFY(read <= unfolded);
        // What was read is deleted: another can be chosen right there.
        const std::string before = text();
        session().select("hole_left");
        key(Qt::Key_Delete);
        session().select("pitch");
        QVERIFY(settled());
        QVERIFY(ties->text().contains("read another") && ties->text().contains("delete this too"));
        emit ties->activated("!another");
        QTRY_VERIFY(QApplication::focusWidget() && QApplication::focusWidget()->objectName() == "input_first");
        emit ties->activated("!delete");
        QVERIFY(!session().recipe().find("pitch"));
        while (text() != before && session().canUndo()) key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(text(), before);
    }
};

QTEST_MAIN(KindsWindowTest)
#include "kinds_window_test.moc"
