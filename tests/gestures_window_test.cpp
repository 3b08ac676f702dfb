// Gestures and keys of Set up through the real window: typed limits, formulas by clicks, copies, strokes that are held
// straight or read otherwise.
#include "demo/small_sets.h"
#include "desktop/fit_dialog.h"
#include "desktop/hints.h"
#include "desktop/param_form.h"
#include "desktop/setup/step_acts.h"
#include "window_support.h"

#include <QClipboard>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QSpinBox>
#include <QTextBrowser>
#include <QToolButton>

using namespace support;
using namespace desktop;

class GesturesWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_demo;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    SetupPage& page() { return *m_window->setupPage(); }
    SheetView* sheet() { return page().sheet(); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); });
    }
    QString said() { return m_window->findChild<QLabel*>(QStringLiteral("said"))->text(); }
    QPointF onPlate(double x, double y)
    {
        const auto motion = inspect::Placing(session().recipe(), session().currentItem()).following("plate");
        const double k = 1 / session().recipe().mmPerPixel();
        return sheet()->screenOf(motion->motion().now.toPicture({x * k, y * k}));
    }
    const recipe::Check& checkOf(const std::string& step)
    {
        const recipe::Step* s = session().recipe().find(step);
        if (!s || s->checks.empty()) qFatal("no check of %s", step.c_str());
        return s->checks.front();
    }
    void key(Qt::Key k, Qt::KeyboardModifiers m = Qt::NoModifier)
    {
        giveKeys(sheet());
        QTest::keyClick(sheet(), k, m);
    }
private slots:
    void initTestCase() { writeDemo(m_demo, 4); }
    void init()
    {
        m_window = openWindow(m_place.path(QStringLiteral("data")));
        QVERIFY(m_window->openRecipe(m_demo.filePath(QStringLiteral("reed-plate.dikkat"))));
        QVERIFY(settled());
        session().setTrial(0);
        QVERIFY(settled());
    }
    void cleanup()
    {
        if (m_window) m_window->session().forgetRecovery();
        m_window.reset();
    }
    void limitsAreTypedRightAfterTheStroke()
    {
        drag(sheet(), onPlate(38, -16), onPlate(38, 16));
        QVERIFY(session().draft());
        key(Qt::Key_Return);
        QVERIFY(settled());
        const std::string id = session().selected();
        const auto before = session().recipe().find(id)->checks.front().limits;
        giveKeys(sheet());
        QTest::keyClicks(sheet(), QStringLiteral("2"));
        auto* field = qobject_cast<QLineEdit*>(QApplication::focusWidget());
        QVERIFY(field && field->objectName() == QStringLiteral("limits_distance"));
        QTest::keyClicks(field, QStringLiteral("6 +-0.05"));
        QTest::keyClick(field, Qt::Key_Return);
        const auto& limits = checkOf(id).limits;
        QVERIFY(limits.nominal && *limits.nominal == 26 && limits.plus == 0.05);
        QVERIFY(!(limits == before));
        QTRY_VERIFY(sheet()->hasFocus()); // the keyboard is back on the part
    }
    void tabReadsTheStrokeOtherwise()
    {
        QTest::mousePress(sheet(), Qt::LeftButton, Qt::NoModifier, onPlate(38, -16).toPoint());
        const QPointF to = onPlate(38, 16);
        QMouseEvent move(QEvent::MouseMove, to, sheet()->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(sheet(), &move);
        QTest::keyClick(sheet(), Qt::Key_Tab);
        QTest::mouseRelease(sheet(), Qt::LeftButton, Qt::NoModifier, to.toPoint());
        QVERIFY(session().draft());
        const auto second = session().draft()->offer().words;
        QVERIFY(session().draft()->offers.size() > 1);
        key(Qt::Key_Escape);
        drag(sheet(), onPlate(38, -16), onPlate(38, 16));
        QVERIFY(session().draft());
        QCOMPARE(session().draft()->offers[1].words, second);
        QVERIFY(session().draft()->offer().words != second);
    }
    void shiftHoldsTheStrokeAlongTheDatum()
    {
        drag(sheet(), onPlate(30, -16), onPlate(37, 16), Qt::ShiftModifier);
        QVERIFY(session().draft());
        const auto& region = session().draft()->offer().step.regions.begin()->second;
        const auto pose = inspect::referencePose(session().prepared()->recipe(), "plate");
        QVERIFY(pose);
        const double turn =
            geometry::degrees(geometry::wrapped(2 * (geometry::angleOf(region.to - region.from) - pose->angle)) / 2);
        QVERIFY2(std::abs(std::abs(turn) - 90) < 0.5, qPrintable(QString::number(turn)));
    }
    void aKindChosenAgainStays()
    {
        page().arm("circle");
        sheet()->setArmedStays(true);
        for (const double x : {-46.0, 46.0}) {
            QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, onPlate(x, x < 0 ? 9 : -9).toPoint());
            QVERIFY(session().draft());
            QCOMPARE(session().draft()->offer().step.kind, std::string("circle"));
            key(Qt::Key_Return);
            QCOMPARE(sheet()->armedKind(), std::string("circle"));
            QVERIFY(settled());
        }
        key(Qt::Key_Escape);
        key(Qt::Key_Escape);
        QVERIFY(sheet()->armedKind().empty());
    }
    void aFormulaIsClickedTogether()
    {
        const auto before = session().recipe().steps.size();
        key(Qt::Key_Equal);
        QVERIFY(session().draft() && session().draft()->offer().step.kind == "formula");
        QTRY_VERIFY(QApplication::focusWidget() &&
                    QApplication::focusWidget()->objectName() == QStringLiteral("expression"));
        auto* grid = page().grid();
        const auto rowOf = [&](const std::string& step) {
            for (int r = 0; r < grid->source().rows(); ++r)
                if (grid->source().row(r).step == step && grid->source().row(r).kind == RowKind::Check) return r;
            return -1;
        };
        const auto clickRow = [&](const std::string& step) {
            const QRect cell = grid->cellRect(rowOf(step), 0);
            QTest::mouseClick(grid->viewport(), Qt::LeftButton, Qt::NoModifier, QPoint(90, cell.center().y()));
        };
        clickRow("width");
        QVERIFY(session().draft());
        const auto field = [&] {
            return page().evidence()->form()->findChild<QLineEdit*>(QStringLiteral("expression"));
        };
        QTRY_COMPARE(field()->text(), QStringLiteral("[Width]"));
        QTRY_VERIFY(field()->hasFocus());
        QTest::keyClicks(field(), QStringLiteral(" - "));
        clickRow("pitch");
        QTRY_COMPARE(field()->text(), QStringLiteral("[Width] - [Hole pitch]"));
        QVERIFY(settled());
        key(Qt::Key_Return);
        QCOMPARE(session().recipe().steps.size(), before + 1);
        QVERIFY(settled());
        const auto* item = session().currentItem();
        const auto value = [&](const std::string& step, const char* output) {
            return item->step(step)->output(output)->values.front();
        };
        QVERIFY(std::abs(value(session().recipe().steps.back().id, "value") -
                         (value("width", "distance") - value("pitch", "distance"))) < 1e-9);
    }
    void stepsAreCopiedAndPastedAlsoElsewhere()
    {
        session().select("width");
        key(Qt::Key_C, Qt::ControlModifier);
        QVERIFY(QApplication::clipboard()->text().contains(QStringLiteral("edge_pair")));
        key(Qt::Key_V, Qt::ControlModifier);
        QCOMPARE(session().recipe().steps.back().kind, std::string("edge_pair"));
        QCOMPARE(session().recipe().steps.back().name, std::string("Width 2"));
        QVERIFY(settled());
        const auto* item = session().currentItem();
        QCOMPARE(item->step(session().recipe().steps.back().id)->output("distance")->values,
                 item->step("width")->output("distance")->values);
        key(Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(session().recipe().find("width") && session().recipe().steps.back().name != "Width 2");
        session().select("width");
        key(Qt::Key_X, Qt::ControlModifier);
        QVERIFY(!session().recipe().find("width"));
        session().forgetRecovery();
        session().newRecipe();
        key(Qt::Key_V, Qt::ControlModifier);
        QCOMPARE(session().recipe().steps.size(), std::size_t(1));
        QVERIFY2(said().contains(QStringLiteral("Plate")), qPrintable(said())); // it follows what is not here
        QApplication::clipboard()->setText(QStringLiteral("no steps"));
        key(Qt::Key_V, Qt::ControlModifier);
        QCOMPARE(session().recipe().steps.size(), std::size_t(1));
        QVERIFY(said().contains(QStringLiteral("no steps")));
    }
    void aStepIsRepeatedWithALiveCount()
    {
        session().select("width");
        const auto before = session().recipe().steps.size();
        giveKeys(sheet());
        whenDialog<CopiesDialog>([&](CopiesDialog& d) {
            d.findChild<QSpinBox*>(QStringLiteral("copiesColumns"))->setValue(4);
            QVERIFY(d.findChild<QLabel*>(QStringLiteral("copiesWords"))
                        ->text()
                        .contains(QStringLiteral("3 more, 4 in all")));
            QCOMPARE(session().ghosts().regions.size(), std::size_t(3));
            d.findChild<QDoubleSpinBox*>(QStringLiteral("copiesColumnStep"))->setValue(-1.5);
            d.accept();
        });
        QTest::keyClick(sheet(), Qt::Key_D, Qt::ControlModifier);
        QCOMPARE(session().recipe().steps.size(), before + 3);
        QVERIFY(session().ghosts().regions.empty());
        QVERIFY(settled());
        // The plate is as wide everywhere.
        const auto* item = session().currentItem();
        const double width = item->step("width")->output("distance")->values.front();
        int found = 0;
        for (const auto& s : session().recipe().steps)
            if (s.name.rfind("Width ", 0) == 0) {
                const auto* r = item->step(s.id);
                QVERIFY2(r->state == inspect::State::Ok, r->reason.c_str());
                QVERIFY(std::abs(r->output("distance")->values.front() - width) < 0.2);
                ++found;
            }
        QCOMPARE(found, 3);
        key(Qt::Key_Z, Qt::ControlModifier); // one undo
        QCOMPARE(session().recipe().steps.size(), before);
    }
    void whatReadsItGoesToo()
    {
        const auto before = session().recipe().steps.size();
        std::string read;
        std::size_t readers = 0;
        for (const auto& s : session().recipe().steps)
            if (const auto n = recipe::withReaders(session().recipe(), s.id).size() - 1;
                n > 0 && !recipe::findKind(s.kind)->datum)
                read = s.id, readers = n;
        QVERIFY(readers > 0);
        session().select(read);
        key(Qt::Key_Delete);
        QCOMPARE(session().recipe().steps.size(), before - 1);
        QVERIFY(said().contains(QStringLiteral("input missing")));
        key(Qt::Key_Delete, Qt::ShiftModifier | Qt::ControlModifier);
        QCOMPARE(session().recipe().steps.size(), before - 1 - readers);
        key(Qt::Key_Z, Qt::ControlModifier);
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(session().recipe().steps.size(), before);
    }
    void rowsAreMovedByKeys()
    {
        const auto order = [&] {
            std::vector<std::string> out;
            for (const auto& s : session().recipe().steps) out.push_back(s.id);
            return out;
        };
        const auto before = order();
        session().select("width");
        key(Qt::Key_Down, Qt::ControlModifier);
        QVERIFY(order() != before);
        key(Qt::Key_Up, Qt::ControlModifier);
        QVERIFY(order() == before);
    }
    // The place of everything on the screen, from trial to trial.
    void inSteadyViewThePartStandsStill()
    {
        key(Qt::Key_T);
        QVERIFY(sheet()->steady());
        const auto places = [&] { return std::vector<QPointF>{onPlate(-46, 9), onPlate(46, -9), onPlate(0, 0)}; };
        const auto first = places();
        double turned = 0;
        for (int t = 1; t < session().trialCount(); ++t) {
            session().setTrial(t);
            QVERIFY(settled());
            const auto* r = session().currentItem();
            if (!r || !r->pose) continue;
            const auto now = places();
            for (std::size_t i = 0; i < first.size(); ++i) {
                const QPointF d = now[i] - first[i];
                QVERIFY2(std::hypot(d.x(), d.y()) < 1.5,
                         qPrintable(QString("%1: %2, %3").arg(t).arg(d.x()).arg(d.y())));
            }
            turned = std::max(turned, std::abs(sheet()->turn()));
        }
        QVERIFY(turned > 0.02); // the parts do lie differently
        // Strokes mean the same places: the same width is read.
        drag(sheet(), onPlate(38, -16), onPlate(38, 16));
        QVERIFY(session().draft());
        key(Qt::Key_Return);
        QVERIFY(settled());
        const auto* item = session().currentItem();
        QVERIFY(std::abs(item->step(session().recipe().steps.back().id)->output("distance")->values.front() -
                         item->step("width")->output("distance")->values.front()) < 0.15);
        key(Qt::Key_T);
        QCOMPARE(sheet()->turn(), 0.0);
    }
    void walkingInSteadyViewMovesNoLabel()
    {
        key(Qt::Key_T);
        std::map<std::string, QPointF> first;
        double farthest = 0;
        for (int t = 0; t < session().trialCount(); ++t) {
            session().setTrial(t);
            QVERIFY(settled());
            const auto* item = session().currentItem();
            if (!item || !item->pose) continue;
            sheet()->grab();
            for (const auto& l : sheet()->labels()) {
                const auto* check = item->check(l.step, l.output);
                if (!check || check->values.empty()) continue; // nothing was measured that could be named
                const auto [stood, fresh] = first.emplace(l.step + "." + l.output, l.box.center());
                const QPointF d = l.box.center() - stood->second;
                if (std::hypot(d.x(), d.y()) > farthest)
                    qInfo("trial %d: %s by %.1f, %.1f", t + 1, stood->first.c_str(), d.x(), d.y());
                farthest = std::max(farthest, std::hypot(d.x(), d.y()));
                for (const auto& other : sheet()->labels())
                    if (&other != &l)
                        QVERIFY2(
                            !other.box.adjusted(3, 3, -3, -3).intersects(l.box.adjusted(3, 3, -3, -3)),
                            qPrintable(QString("trial %1: %2 and %3")
                                           .arg(t + 1)
                                           .arg(QString::fromStdString(l.step), QString::fromStdString(other.step))));
            }
        }
        QVERIFY(first.size() > 6);
        QVERIFY2(farthest < 4, qPrintable(QString::number(farthest)));
        key(Qt::Key_T);
    }
    void aQuarterTurnMovesTheViewAlone()
    {
        const auto before = session().currentItem()->step("width")->output("distance")->values;
        const QPointF a = onPlate(-40, 0), b = onPlate(40, 0);
        key(Qt::Key_V);
        const QPointF c = onPlate(-40, 0), d = onPlate(40, 0);
        const double turn = std::remainder(std::atan2((d - c).y(), (d - c).x()) - std::atan2((b - a).y(), (b - a).x()),
                                           2 * geometry::kPi);
        QVERIFY(std::abs(std::abs(turn) - geometry::kPi / 2) < 1e-6);
        QVERIFY(sheet()->modes().contains(QStringLiteral("turned 90")));
        drag(sheet(), onPlate(38, -16), onPlate(38, 16));
        QVERIFY(session().draft() && session().draft()->values[0].contains("mm"));
        key(Qt::Key_Escape);
        for (int i = 0; i < 3; ++i) key(Qt::Key_V);
        QCOMPARE(sheet()->turn(), 0.0);
        QCOMPARE(session().currentItem()->step("width")->output("distance")->values, before);
    }
    void theDifferenceIsPaperWhereAllIsAlike()
    {
        key(Qt::Key_D);
        const QImage seen = sheet()->grab().toImage();
        // On the part, clear of marks, both agree: paper.
        int paper = 0, all = 0;
        for (double x = -38; x < 38; x += 1.7)
            for (const double y : {-11.6, 11.7}) {
                const QColor c = seen.pixelColor(onPlate(x, y).toPoint());
                ++all, paper += c.lightness() > 215;
            }
        QVERIFY2(paper > 0.7 * all, qPrintable(QString("%1 of %2").arg(paper).arg(all)));
        QVERIFY(sheet()->modes().contains(QStringLiteral("difference")));
        key(Qt::Key_D);
        QVERIFY(sheet()->modes().isEmpty());
    }
    // Several parts in a picture: a column each, and one for a part that is lost.
    void itemsUnfoldIntoColumns()
    {
        QTemporaryDir dir;
        QVERIFY(demo::writeSmallPlates(dir.path().toStdString(), 1, 5, smallField()));
        QVERIFY(m_window->openRecipe(dir.filePath(QStringLiteral("small-plates.dikkat"))));
        QVERIFY(settled());
        auto* grid = page().grid();
        QCOMPARE(grid->source().columns(), 5);
        int items = 0;
        for (int t = 0; t < 5; ++t) items += int(session().result(t)->items.size());
        QVERIFY(items > 5);
        key(Qt::Key_U, Qt::ShiftModifier);
        QCOMPARE(grid->source().columns(), items);
        // Every cell is its own part's verdict.
        int column = 0, row = -1;
        for (int r = 0; r < grid->source().rows(); ++r)
            if (grid->source().row(r).kind == RowKind::Check && row < 0) row = r;
        QVERIFY(row >= 0);
        const GridRow shown = grid->source().row(row);
        for (int t = 0; t < 5; ++t)
            for (std::size_t i = 0; i < session().result(t)->items.size(); ++i, ++column) {
                const auto* c = session().result(t)->items[i].check(shown.step, shown.output);
                QVERIFY(c);
                QCOMPARE(int(grid->source().cell(row, column).verdict), int(c->verdict));
                QCOMPARE(grid->source().column(column).head, QStringLiteral("%1.%2").arg(t + 1).arg(i + 1));
            }
        // A click chooses the part, not only the picture.
        const int second = int(session().result(0)->items.size()) + 1;
        QVERIFY(session().result(1)->items.size() > 1);
        QTest::mouseClick(grid->viewport(), Qt::LeftButton, Qt::NoModifier, grid->cellRect(row, second).center());
        QCOMPARE(session().trial(), 1);
        QTRY_COMPARE(session().item(), 1);
        // The datum wants one more than there are in the first picture: a column says that it is lost.
        std::string datum;
        for (const auto& s : session().recipe().steps)
            if (recipe::findKind(s.kind)->datum && datum.empty()) datum = s.id;
        const int wanted = int(session().result(0)->items.size()) + 1;
        session().change(QStringLiteral("wanted"), [&](recipe::Recipe& r) {
            const auto* kind = recipe::findKind(r.find(datum)->kind);
            kind->param(kind->roles.expected)->put(r.find(datum)->params, std::int64_t(wanted));
        });
        QVERIFY(settled());
        const int lost = wanted - 1;
        QTRY_VERIFY(lost < grid->source().columns() && grid->source().column(lost).lost);
        QVERIFY(int(grid->source().cell(row, lost).verdict) == int(inspect::Verdict::NotMeasured));
        key(Qt::Key_U, Qt::ShiftModifier);
        QCOMPARE(grid->source().columns(), 5);
    }
    void columnsAreSortedAndFiltered()
    {
        auto* grid = page().grid();
        const int all = grid->source().columns();
        int rejected = 0;
        for (int t = 0; t < all; ++t) rejected += session().result(t)->rejected();
        QVERIFY(rejected > 0 && rejected < all);
        page().action(QStringLiteral("byVerdict"))->trigger();
        QCOMPARE(grid->source().columns(), all);
        for (int c = 0; c < all; ++c)
            QCOMPARE(grid->source().column(c).outcome == inspect::Outcome::Reject, c < rejected);
        // A click still shows the picture its head names.
        QTest::mouseClick(grid->viewport(), Qt::LeftButton, Qt::NoModifier, grid->cellRect(1, 0).center());
        QCOMPARE(QString::number(session().trial() + 1), grid->source().column(0).head);
        page().action(QStringLiteral("showFailed"))->trigger();
        QCOMPARE(grid->source().columns(), rejected);
        page().action(QStringLiteral("showAll"))->trigger();
        page().action(QStringLiteral("byTaken"))->trigger();
        for (int c = 0; c < all; ++c) QCOMPARE(grid->source().column(c).head, QString::number(c + 1));
    }
    void aSettingIsFittedToTheLabels()
    {
        session().select("slots");
        const auto* spec = recipe::findKind("blobs")->param("least_area");
        const auto now = [&] { return std::get<double>(spec->get(session().recipe().find("slots")->params)); };
        const double was = now();
        giveKeys(sheet());
        // Let go while it works: nothing was taken.
        whenDialog<FitDialog>([&](FitDialog& d) { d.reject(); });
        QTest::keyClick(sheet(), Qt::Key_J, Qt::ControlModifier);
        QCOMPARE(now(), was);
        giveKeys(sheet());
        double taken = -1;
        whenDialog<FitDialog>([&](FitDialog& d) {
            auto* setting = d.findChild<QComboBox*>(QStringLiteral("fitSetting"));
            setting->setCurrentIndex(setting->findData(QStringLiteral("least_area")));
            QVERIFY(waitFor([&] { return !d.running(); }, 60000));
            QVERIFY2(d.best() >= 0, qPrintable(d.findChild<QLabel*>(QStringLiteral("fitWords"))->text()));
            taken = d.tried()[std::size_t(d.best())].setting;
            QVERIFY(d.findChild<QPushButton*>(QStringLiteral("fitTake"))->isEnabled());
            QCOMPARE(now(), was); // nothing is taken without a word
            QTest::keyClick(&d, Qt::Key_Return);
        });
        QTest::keyClick(sheet(), Qt::Key_J, Qt::ControlModifier);
        QCOMPARE(now(), taken);
        QVERIFY(settled());
        if (taken != was) key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(now(), was);
    }
    // Tapped, a look stays; held, it ends with the key.
    void looksAreTappedOrHeld()
    {
        QAction* bare = page().action(QStringLiteral("bare"));
        key(Qt::Key_Q);
        QVERIFY(bare->isChecked());
        key(Qt::Key_Q);
        QVERIFY(!bare->isChecked());
        giveKeys(sheet());
        QTest::keyPress(sheet(), Qt::Key_Q);
        QVERIFY(bare->isChecked());
        QTest::qWait(450);
        QTest::keyRelease(sheet(), Qt::Key_Q);
        QVERIFY(!bare->isChecked());
        // Held while another window takes the keyboard: it ends too.
        QTest::keyPress(sheet(), Qt::Key_Q);
        QVERIFY(bare->isChecked());
        QTest::qWait(450);
        QEvent lost(QEvent::WindowDeactivate);
        QApplication::sendEvent(m_window.get(), &lost);
        QVERIFY(!bare->isChecked());
    }
    void theEvidenceIsMadeLargeAndSmall()
    {
        const int before = page().evidence()->width();
        key(Qt::Key_F4);
        QTRY_VERIFY(page().evidence()->width() > 1.5 * before);
        QVERIFY(sheet()->isVisible());
        key(Qt::Key_F4);
        QTRY_VERIFY(std::abs(page().evidence()->width() - before) < 4);
    }
    // Five notes, each gone when what it says was done.
    void hintsGoWhenTheyAreDone()
    {
        Hints* hints = m_window->hints();
        QVERIFY(!hints->isVisible()); // never unasked
        hints->again();
        QVERIFY(hints->isVisible() && hints->current() == 0);
        const auto inside = [&] { return m_window->rect().contains(hints->geometry()); };
        QVERIFY(inside());
        key(Qt::Key_PageDown);
        QCOMPARE(hints->current(), 1);
        QVERIFY(inside());
        drag(sheet(), onPlate(38, -16), onPlate(38, 16));
        key(Qt::Key_Return);
        QCOMPARE(hints->current(), 2);
        session().select("width");
        auto limits = checkOf("width").limits;
        limits.plus = 0.2;
        session().setLimits("width", "distance", limits, false);
        QCOMPARE(hints->current(), 3);
        key(Qt::Key_B);
        QCOMPARE(hints->current(), 4);
        QVERIFY(inside());
        QTest::keyClick(sheet(), Qt::Key_2, Qt::ControlModifier);
        QCOMPARE(hints->current(), int(Hints::kCount));
        QVERIFY(!hints->isVisible());
        // Nobody wants them any more: they stay away.
        QTest::keyClick(m_window.get(), Qt::Key_1, Qt::ControlModifier);
        hints->again();
        QTest::mouseClick(hints->findChild<QToolButton*>(QStringLiteral("hintNever")), Qt::LeftButton);
        hints->start();
        QVERIFY(!hints->isVisible());
    }
    void helpSaysWhatTheChosenKindDoes()
    {
        session().select("width");
        giveKeys(sheet());
        whenDialog([&](QDialog& d) {
            auto* text = d.findChild<QTextBrowser*>(QStringLiteral("helpText"));
            QVERIFY(text && text->toPlainText().contains(QStringLiteral("What it measures")));
            QVERIFY(text->toPlainText().contains(QStringLiteral("Least strength")));
            d.reject();
        });
        QTest::keyClick(sheet(), Qt::Key_F1);
    }
};

QTEST_MAIN(GesturesWindowTest)
#include "gestures_window_test.moc"
