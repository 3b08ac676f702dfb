// Whole recipes made in the window by mouse and keys, from nothing: how many presses they take, and that what they
// measure is what the shipped recipe measures. A typed word counts as one press.
#include "demo/carton.h"
#include "demo/small_sets.h"
#include "demo/targets.h"
#include "desktop/calibrate_dialog.h"
#include "desktop/check_dialog.h"
#include "desktop/param_form.h"
#include "desktop/proposals_dialog.h"
#include "desktop/setup/step_acts.h"
#include "window_support.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPushButton>
#include <QSpinBox>
#include <QTabWidget>
#include <QTableWidget>
#include <QToolButton>

using namespace support;
using namespace desktop;
using geometry::Point;

// A press that failed ends the test: what follows would rest on it.
#define DO(act)                                                                                                        \
    do {                                                                                                               \
        act;                                                                                                           \
        if (QTest::currentTestFailed()) return qWarning("in line %d", __LINE__);                                       \
    } while (0)

class RecipesWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_demo, m_plates, m_rings, m_cartons;
    std::string m_datum; // of the shipped recipe, by which places are told; "": its first step
    recipe::Recipe m_shipped;
    std::optional<inspect::Prepared> m_prepared;
    std::vector<inspect::PictureResult> m_truth; // of the shipped recipe, for each picture
    std::unique_ptr<MainWindow> m_window;
    QString m_pictures;
    std::size_t m_item = 0; // of the picture in view: the one that is drawn on
    int m_presses = 0;

    Session& session() { return m_window->session(); }
    SetupPage& page() { return *m_window->setupPage(); }
    SheetView* sheet() { return page().sheet(); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); }, 120000);
    }
    // A place on the part (mm from the datum's origin) as it lies in the picture in view.
    QPointF at(double x, double y)
    {
        const auto motion = inspect::Placing(m_shipped, &m_truth[std::size_t(session().trial())].items[m_item])
                                .following(m_datum.empty() ? m_shipped.steps.front().id : m_datum);
        if (!motion) qFatal("no plate in trial %d", session().trial());
        const double k = 1 / m_shipped.mmPerPixel();
        return sheet()->screenOf(motion->motion().now.toPicture({x * k, y * k}));
    }
    void press(Qt::Key k, Qt::KeyboardModifiers m = Qt::NoModifier)
    {
        giveKeys(sheet());
        QTest::keyClick(sheet(), k, m);
        ++m_presses;
        QVERIFY(settled());
    }
    void stroke(QPointF from, QPointF to, Qt::KeyboardModifiers m = Qt::NoModifier)
    {
        drag(sheet(), from, to, m);
        ++m_presses;
        QVERIFY2(session().draft(), qPrintable(sheet()->pointerText()));
        QVERIFY(settled());
    }
    void clickAt(QPointF place)
    {
        QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, place.toPoint());
        ++m_presses;
        QVERIFY2(session().draft(), qPrintable(sheet()->pointerText()));
        QVERIFY(settled());
    }
    // Tab until the reading is the wanted one.
    void reading(const char* words)
    {
        for (int i = 0; i < 6 && session().draft()->offer().words != words; ++i) press(Qt::Key_Tab);
        QCOMPARE(QString::fromStdString(session().draft()->offer().words), QString::fromLatin1(words));
    }
    void take()
    {
        const auto before = session().recipe().steps.size();
        press(Qt::Key_Return);
        QCOMPARE(session().recipe().steps.size(), before + 1);
        // Proposed limits are left for later: they come from the labels.
        if (session().proposal()) session().dropProposal();
    }
    // Limits typed right after the step was taken; a word and Enter.
    void typed(const QString& limits)
    {
        giveKeys(sheet());
        QTest::keyClicks(sheet(), limits.left(1));
        QWidget* field = QApplication::focusWidget();
        QVERIFY(qobject_cast<QLineEdit*>(field));
        QTest::keyClicks(field, limits.mid(1));
        QTest::keyClick(field, Qt::Key_Return);
        m_presses += 2;
        QVERIFY(settled());
    }
    // A kind chosen from the strip: the question, then the kind.
    void choose(const char* kind)
    {
        const recipe::StepKind* k = recipe::findKind(kind);
        auto* b = page().findChild<QToolButton*>(QStringLiteral("question%1").arg(int(k->question)));
        QVERIFY(b && b->menu());
        for (QAction* a : b->menu()->actions())
            if (a->objectName() == QStringLiteral("kind_") + QLatin1String(kind)) a->trigger();
        m_presses += 2;
        QCOMPARE(sheet()->armedKind(), std::string(kind));
    }
    template <class D> void inDialog(Qt::Key key, Qt::KeyboardModifiers modifiers, const std::function<void(D&)>& call)
    {
        giveKeys(sheet());
        whenDialog<D>(call);
        QTest::keyClick(sheet(), key, modifiers);
        ++m_presses;
        QVERIFY(settled());
    }
    void word(QWidget* field, const QString& text) // chosen and typed over
    {
        giveKeys(field); // a click into it
        ++m_presses;
        if (auto* spin = qobject_cast<QAbstractSpinBox*>(field)) spin->selectAll();
        QTest::keyClicks(field, text);
        ++m_presses;
    }
    // A setting of the draft, typed; among the rest when it is not one of the first.
    template <class Spin> void setting(const char* key, const QString& value)
    {
        auto* form = page().evidence()->form();
        auto* field = form->findChild<Spin*>(QLatin1String(key));
        if (!field) {
            QTest::mouseClick(form->findChild<QToolButton*>(QStringLiteral("allSettings")), Qt::LeftButton);
            ++m_presses;
            QTRY_VERIFY(field = page().evidence()->form()->template findChild<Spin*>(QLatin1String(key)));
        }
        word(field, value);
        QTest::keyClick(field, Qt::Key_Tab);
        QVERIFY(settled());
    }
    const inspect::CheckResult* mine(int trial, const std::string& kind, const std::string& output, int nth = 0)
    {
        for (const auto& s : session().recipe().steps)
            if (s.kind == kind && session().result(trial)->items.front().check(s.id, output) && nth-- == 0)
                return session().result(trial)->items.front().check(s.id, output);
        return nullptr;
    }
    // The shipped recipe of a set and what it measures; its pictures alone lie in a folder.
    void know(const QString& recipePath)
    {
        auto shipped = recipe::load(recipePath.toStdString());
        QVERIFY(shipped);
        auto prepared = inspect::Prepared::make(*shipped);
        QVERIFY(prepared);
        m_prepared = std::move(*prepared);
        m_shipped = m_prepared->recipe();
        m_truth.clear();
        m_pictures = QFileInfo(recipePath).dir().filePath(QStringLiteral("pictures"));
        QVERIFY(QDir().mkpath(m_pictures));
        for (const auto& t : m_shipped.trials) {
            auto capture = image::loadCapture(t.picture, {});
            QVERIFY2(capture, t.picture.c_str());
            m_truth.push_back(inspect::evaluate(*m_prepared, *capture, nullptr, nullptr, 2));
            const QFileInfo from(QString::fromStdString(t.picture));
            QVERIFY(QFile::copy(from.filePath(), m_pictures + QStringLiteral("/") + from.fileName()));
        }
        m_presses = 0, m_item = 0, m_datum.clear();
        m_window = openWindow(m_place.path(QStringLiteral("data")));
    }
    // A folder is dropped on the window, the first picture shows a good part, the scale is stated.
    void begin()
    {
        QMimeData data;
        data.setUrls({QUrl::fromLocalFile(m_pictures)});
        QDragEnterEvent enter(QPoint(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(m_window.get(), &enter);
        QDropEvent drop(QPointF(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(m_window.get(), &drop);
        ++m_presses;
        QVERIFY(settled());
        QCOMPARE(session().trialCount(), int(m_shipped.trials.size()));
        DO(press(Qt::Key_R, Qt::ControlModifier));
        QVERIFY(!session().recipe().reference.empty());
        inDialog<CalibrateDialog>(Qt::Key_K, Qt::ControlModifier, [&](CalibrateDialog& d) {
            auto* factor = d.findChild<QDoubleSpinBox*>(QStringLiteral("factor"));
            word(factor, QStringLiteral("0.052"));
            QTest::keyClick(factor, Qt::Key_Tab);
            QTest::mouseClick(d.findChild<QPushButton*>(QStringLiteral("takeCalibration")), Qt::LeftButton);
            m_presses += 2;
        });
        QCOMPARE(session().recipe().mmPerPixel(), 0.052);
    }
    // The frame round a part, wherever its corners lie.
    void frame(double halfLength, double halfWidth)
    {
        QRectF box;
        for (const auto& [x, y] : {std::pair{-halfLength, -halfWidth},
                                   {halfLength, -halfWidth},
                                   {halfLength, halfWidth},
                                   {-halfLength, halfWidth}})
            box |= QRectF(at(x, y), QSizeF(1, 1));
        stroke(box.topLeft() - QPointF(3, 3), box.bottomRight() + QPointF(3, 3), Qt::ControlModifier);
    }
private slots:
    void cleanup()
    {
        if (m_window) m_window->session().forgetRecovery();
        m_window.reset();
    }
    void theReedPlateTakesFewPresses()
    {
        QVERIFY(demo::writeReedPlates(m_demo.path().toStdString(), 1, 24));
        DO(know(m_demo.filePath(QStringLiteral("reed-plate.dikkat"))));
        DO(begin());
        DO(frame(51, 14));
        DO(take());
        // Width, holes and their pitch.
        DO(stroke(at(-34, -16), at(-34, 16)));
        DO(take());
        DO(clickAt(at(-46, 9)));
        DO(reading("circle"));
        DO(take());
        DO(clickAt(at(46, 9)));
        DO(reading("circle"));
        DO(take());
        DO(stroke(at(-46, 9), at(46, 9)));
        DO(take());
        // Slots: how many, and how large each.
        DO(stroke(at(-43, -11), at(41, 11), Qt::ControlModifier));
        DO(reading("size of each blob"));
        DO(take());
        inDialog<CheckDialog>(Qt::Key_L, Qt::ControlModifier, [&](CheckDialog& d) {
            word(d.findChild<QDoubleSpinBox*>(QStringLiteral("plusMinus")), QStringLiteral("1.5"));
            QTest::mouseClick(d.findChild<QPushButton*>(QStringLiteral("fromThisPart")), Qt::LeftButton);
            d.accept(); // Enter
            m_presses += 2;
        });
        // The edges, what stands out of them, how straight the upper one is, and how far a hole lies from it.
        DO(stroke(at(-44, -13), at(44, -13)));
        DO(reading("line"));
        DO(take());
        DO(stroke(at(-46, 9), at(0, -13)));
        DO(take());
        DO(stroke(at(-40, -13), at(40, -13)));
        DO(reading("farthest outward: burr"));
        DO(take());
        DO(stroke(at(30, 13), at(-25, 13)));
        DO(reading("line"));
        DO(take());
        DO(stroke(at(-20, 13), at(25, 13)));
        DO(reading("farthest outward: burr"));
        DO(take());
        DO(stroke(at(20, -13), at(24, -20)));
        DO(reading("straightness"));
        DO(take());
        const int without = m_presses;
        qInfo("reed plate: %d presses without labels", without);
        QVERIFY2(without <= 60, qPrintable(QString::number(without)));
        // Labels: a press on each bad one, the rest at once; limits from them.
        auto* grid = page().grid();
        for (int t = 0; t < 24; ++t)
            if (m_shipped.trials[std::size_t(t)].label == recipe::Label::Bad) {
                const QRect cell = grid->cellRect(0, t);
                QTest::mouseClick(grid->viewport(), Qt::LeftButton, Qt::ShiftModifier, QPoint(cell.center().x(), 27));
                ++m_presses;
                QVERIFY(session().recipe().trials[std::size_t(t)].label == recipe::Label::Bad);
            }
        DO(press(Qt::Key_G, Qt::ShiftModifier));
        inDialog<ProposalsDialog>(Qt::Key_L, Qt::ControlModifier | Qt::ShiftModifier, [&](ProposalsDialog& d) {
            QTest::mouseClick(d.findChild<QPushButton*>(QStringLiteral("takeProposals")), Qt::LeftButton);
            ++m_presses;
        });
        qInfo("reed plate: %d presses for labels and limits", m_presses - without);
        QVERIFY2(m_presses - without <= 12, qPrintable(QString::number(m_presses - without)));
        QVERIFY(settled());
        // What it measures is what the shipped recipe measures, on every part both find.
        struct Pair {
            const char *shipped, *output, *kind;
            int nth;
        };
        int compared = 0;
        double worst = 0;
        for (const Pair& p : {Pair{"width", "distance", "edge_pair", 0},
                              {"pitch", "distance", "distance", 0},
                              {"edge", "distance", "distance", 1},
                              {"burr_top", "size", "farthest", 0},
                              {"burr_bottom", "size", "farthest", 1},
                              {"straight", "zone", "straightness", 0}})
            for (int t = 0; t < 24; ++t) {
                const auto* truth = m_truth[std::size_t(t)].items.front().check(p.shipped, p.output);
                const auto* own = mine(t, p.kind, p.output, p.nth);
                QVERIFY2(own, p.shipped);
                if (!truth || truth->values.empty() || own->values.empty()) continue;
                const double off = std::abs(truth->values.front() - own->values.front());
                worst = std::max(worst, off), ++compared;
                QVERIFY2(off <= 0.003, qPrintable(QString("%1 of trial %2: %3 against %4")
                                                      .arg(p.shipped)
                                                      .arg(t + 1)
                                                      .arg(own->values.front())
                                                      .arg(truth->values.front())));
            }
        QVERIFY(compared > 120);
        for (int t = 0; t < 24; ++t) {
            const auto* truth = m_truth[std::size_t(t)].items.front().check("slots", "count");
            const auto* own = mine(t, "blobs", "count");
            if (truth && own && !truth->values.empty() && !own->values.empty()) QCOMPARE(own->values, truth->values);
        }
        qInfo("reed plate: %d values compared, farthest %.4f mm apart", compared, worst);
        // And it sorts the parts as their labels say, but for what nobody asked of it (the fit of the slots).
        int agrees = 0;
        for (int t = 0; t < 24; ++t) agrees += session().agreement(t) == Session::Agreement::Agrees;
        QVERIFY2(agrees >= 23, qPrintable(QString::number(agrees)));
    }
    void smallPlatesTakeFewPresses()
    {
        QVERIFY(demo::writeSmallPlates(m_plates.path().toStdString(), 1, 12));
        DO(know(m_plates.filePath(QStringLiteral("small-plates.dikkat"))));
        // The part that lies most apart from the others is drawn on.
        const auto& first = m_truth.front().items;
        double most = 0;
        for (std::size_t i = 0; i < first.size(); ++i) {
            double nearest = 1e9;
            for (std::size_t k = 0; k < first.size(); ++k)
                if (k != i)
                    nearest = std::min(nearest, geometry::distance(first[i].pose->origin, first[k].pose->origin));
            if (nearest > most) most = nearest, m_item = i;
        }
        DO(begin());
        DO(frame(12.6, 5.6));
        // As many as there are.
        DO(setting<QSpinBox>("finds", QStringLiteral("12")));
        DO(take());
        DO(stroke(at(-6.2, -7), at(-6.2, 7)));
        DO(take());
        DO(clickAt(at(-9, 0)));
        DO(reading("diameter"));
        DO(take());
        DO(stroke(at(-5.5, -4), at(9.5, 4), Qt::ControlModifier));
        DO(reading("count of blobs"));
        DO(take());
        qInfo("small plates: %d presses", m_presses);
        QVERIFY2(m_presses <= 35, qPrintable(QString::number(m_presses)));
        QVERIFY(settled());
        // Every part of every picture is found once, and measures what the shipped recipe measures.
        int compared = 0;
        for (std::size_t t = 0; t < m_truth.size(); ++t) {
            const auto& mine_ = session().result(int(t))->items;
            QCOMPARE(mine_.size(), m_truth[t].items.size());
            for (const auto& truth : m_truth[t].items) {
                const inspect::ItemResult* own = nullptr;
                for (const auto& i : mine_)
                    if (i.pose && geometry::distance(i.pose->origin, truth.pose->origin) < 60) own = &i;
                QVERIFY(own);
                for (const auto& [shipped, output, kind] : {std::tuple{"width", "distance", "edge_pair"},
                                                            {"hole", "diameter", "circle"},
                                                            {"slots", "count", "blobs"}}) {
                    const auto* a = truth.check(shipped, output);
                    const inspect::CheckResult* b = nullptr;
                    for (const auto& s : session().recipe().steps)
                        if (s.kind == kind) b = own->check(s.id, output);
                    QVERIFY(a && b);
                    if (a->values.empty() || b->values.empty()) continue;
                    const double off = std::abs(a->values.front() - b->values.front());
                    QVERIFY2(off <= (std::string(kind) == "blobs" ? 0 : 0.004),
                             qPrintable(QString("%1: %2, trial %3").arg(shipped).arg(off).arg(t + 1)));
                    ++compared;
                }
            }
        }
        std::size_t parts = 0;
        for (const auto& t : m_truth) parts += t.items.size();
        qInfo("small plates: %d values of %zu parts compared", compared, parts);
        QVERIFY(compared > 2 * int(parts));
    }
    void theTuningRingTakesFewPresses()
    {
        QVERIFY(demo::writeTuningRings(m_rings.path().toStdString(), 1, 12));
        DO(know(m_rings.filePath(QStringLiteral("tuning-ring.dikkat"))));
        m_datum = "frame"; // bore and index hole tell the angle
        DO(begin());
        DO(frame(43, 43));
        DO(take());
        DO(clickAt(at(0, 0)));
        DO(reading("circle"));
        DO(take());
        DO(clickAt(at(26, 0)));
        DO(reading("circle"));
        DO(take());
        // From hole to hole: the datum that turns with the ring, chosen from the strip.
        DO(choose("two_holes"));
        DO(stroke(at(0, 0), at(26, 0)));
        DO(take());
        // Across a notch, then round the bore: the angle is what counts.
        DO(stroke(at(40.5, 5.5), at(40.5, -5.5)));
        DO(reading("edge pair"));
        DO(press(Qt::Key_C));
        QCOMPARE(session().draft()->offer().step.regions.at("window").shape, geometry::Shape::Arc);
        DO(take());
        DO(typed(QStringLiteral("9 +-0.3")));
        // And every notch like it.
        inDialog<CopiesDialog>(Qt::Key_D, Qt::ControlModifier, [&](CopiesDialog& d) {
            auto* way = d.findChild<QComboBox*>(QStringLiteral("copiesWay"));
            way->setFocus();
            QTest::keyClick(way, Qt::Key_Down);
            ++m_presses;
            word(d.findChild<QSpinBox*>(QStringLiteral("copiesCount")), QStringLiteral("8"));
            d.accept(); // Enter
            ++m_presses;
        });
        DO(stroke(at(-13, 5), at(-22, 8.5)));
        DO(reading("roundness"));
        DO(take());
        qInfo("tuning ring: %d presses", m_presses);
        QVERIFY2(m_presses <= 45, qPrintable(QString::number(m_presses)));
        QVERIFY(settled());
        int notches = 0, compared = 0;
        double worst = 0;
        for (const auto& s : session().recipe().steps) notches += s.kind == "edge_pair";
        QCOMPARE(notches, 8);
        for (std::size_t t = 0; t < m_truth.size(); ++t) {
            const auto* truth = m_truth[t].items.front().check("notch", "angle");
            const auto* own = mine(int(t), "edge_pair", "angle");
            QVERIFY(truth && own);
            if (truth->values.empty() || own->values.empty()) continue;
            worst = std::max(worst, std::abs(truth->values.front() - own->values.front()));
            // The others are as the drawing says.
            for (int n = 1; n < 8; ++n) {
                const auto* other = mine(int(t), "edge_pair", "angle", n);
                QVERIFY(other);
                if (!other->values.empty())
                    QVERIFY2(std::abs(other->values.front() - 9) < 0.12,
                             qPrintable(QString("notch %1 of trial %2: %3, first %4")
                                            .arg(n + 1)
                                            .arg(t + 1)
                                            .arg(other->values.front())
                                            .arg(own->values.front())));
                compared += !other->values.empty();
            }
            const auto* round = m_truth[t].items.front().check("round", "zone");
            const auto* mineRound = mine(int(t), "roundness", "zone");
            QVERIFY(round && mineRound);
            if (!round->values.empty() && !mineRound->values.empty())
                QVERIFY2(std::abs(round->values.front() - mineRound->values.front()) <= 0.003,
                         qPrintable(QString("roundness of trial %1").arg(t + 1)));
        }
        qInfo("tuning ring: first notch within %.3f deg of the shipped recipe, %d other notches", worst, compared);
        QVERIFY(worst < 0.03);
        QVERIFY(compared > 70);
    }
    void theCartonPanelTakesFewPresses()
    {
        QVERIFY(demo::writeCartonPanels(m_cartons.path().toStdString(), 1, 12));
        DO(know(m_cartons.filePath(QStringLiteral("carton-panel.dikkat"))));
        DO(begin());
        DO(frame(52, 38));
        // It looks much alike upside down: panels come upright.
        DO(setting<QDoubleSpinBox>("angle_range", QStringLiteral("20")));
        DO(take());
        // Margins: from outside the panel into the printed frame, one limit for each.
        const double x = 50, y = 36, in = 8 + 1.1;
        for (const auto& [from, to] : {std::pair{Point{-x - 3, -6}, Point{-x + in, -6}},
                                       {Point{x + 3, -6}, Point{x - in, -6}},
                                       {Point{-22, -y - 3}, Point{-22, -y + in}},
                                       {Point{-22, y + 3}, Point{-22, y - in}}}) {
            DO(stroke(at(from.x, from.y), at(to.x, to.y)));
            DO(reading("edge pair"));
            DO(take());
            DO(typed(QStringLiteral("8 +-0.5")));
        }
        // Skew: the angle between the panel's edge and the frame's.
        DO(stroke(at(-38, -y), at(38, -y)));
        DO(reading("line"));
        DO(take());
        DO(stroke(at(-38, -y + 8), at(38, -y + 8)));
        DO(reading("line"));
        DO(take());
        DO(choose("angle"));
        DO(stroke(at(-20, -y), at(-10, -y + 8)));
        DO(take());
        // Dots, each at its place.
        DO(stroke(at(-39, 10.5), at(39, 21), Qt::ControlModifier));
        DO(reading("size of each blob"));
        DO(take());
        inDialog<CheckDialog>(Qt::Key_L, Qt::ControlModifier, [&](CheckDialog& d) {
            word(d.findChild<QDoubleSpinBox*>(QStringLiteral("plusMinus")), QStringLiteral("2"));
            QTest::mouseClick(d.findChild<QPushButton*>(QStringLiteral("fromThisPart")), Qt::LeftButton);
            d.accept(); // Enter
            m_presses += 2;
        });
        // The colour mark, by a click on its colour.
        DO(stroke(at(25, -19), at(31, -13), Qt::ControlModifier));
        DO(reading("area share"));
        DO(take());
        auto* mode = page().evidence()->form()->findChild<QComboBox*>(QStringLiteral("mode"));
        QVERIFY(mode);
        mode->setFocus();
        QTest::keyClicks(mode, QStringLiteral("Colour"));
        m_presses += 2;
        QVERIFY(settled());
        QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, at(28, -16).toPoint());
        ++m_presses;
        QVERIFY(settled());
        DO(typed(QStringLiteral(">= 60")));
        qInfo("carton panel: %d presses", m_presses);
        QVERIFY2(m_presses <= 55, qPrintable(QString::number(m_presses)));
        QVERIFY(settled());
        int compared = 0;
        double worst = 0;
        for (std::size_t t = 0; t < m_truth.size(); ++t) {
            const auto& item = m_truth[t].items.front();
            const char* margins[] = {"left", "right", "top", "bottom"};
            for (int n = 0; n < 4; ++n) {
                const auto* truth = item.check(margins[n], "distance");
                const auto* own = mine(int(t), "edge_pair", "distance", n);
                QVERIFY(truth && own);
                if (truth->values.empty() || own->values.empty()) continue;
                // A print so far off that the stroke ends elsewhere is another pair, and rejected by both.
                if (std::abs(truth->values.front() - 8) > 0.6) {
                    QVERIFY(own->verdict == inspect::Verdict::Fail);
                    continue;
                }
                worst = std::max(worst, std::abs(truth->values.front() - own->values.front())), ++compared;
            }
            const auto* count = item.check("dots", "count");
            const auto* sizes = mine(int(t), "blobs", "areas");
            QVERIFY(count && sizes);
            // On a bad print a smear or a splash may count with one least size and not with another; both reject it.
            if (m_shipped.trials[t].label == recipe::Label::Good)
                QVERIFY2(double(sizes->values.size()) == count->values.front(),
                         qPrintable(QString("trial %1: %2 dots").arg(t + 1).arg(sizes->values.size())));
            const auto *mark = item.check("mark", "share"), *own = mine(int(t), "area_share", "share");
            QVERIFY(mark && own);
            QVERIFY2(own->verdict == mark->verdict,
                     qPrintable(QString("mark of trial %1: %2 (%3), shipped %4")
                                    .arg(t + 1)
                                    .arg(QString::fromStdString(own->valueText()), QString::fromStdString(own->reason),
                                         QString::fromStdString(mark->valueText()))));
        }
        qInfo("carton panel: %d margins compared, farthest %.4f mm apart", compared, worst);
        QVERIFY(compared > 36);
        QVERIFY(worst <= 0.02);
    }
    void aTargetCalibratesInFewPresses()
    {
        // Parts and pictures of the target in one folder, through a tilted lens.
        const demo::Field plain{1224, 1025, 0.104};
        demo::Field f = plain;
        f.lens = std::make_shared<geometry::Calibration>(demo::tiltedLens(plain));
        QTemporaryDir dir;
        QVERIFY(demo::writeReedPlates(dir.path().toStdString(), 3, 4, f));
        QVERIFY(demo::writeTargets(dir.filePath("targets").toStdString(), 2, 8, plain));
        DO(know(dir.filePath(QStringLiteral("tilted-plate.dikkat"))));
        for (int i = 1; i <= 8; ++i)
            QVERIFY(QFile::copy(dir.filePath(QString("targets/board-0%1.png").arg(i)),
                                m_pictures + QString("/zz-board-%1.png").arg(i)));
        QMimeData data;
        data.setUrls({QUrl::fromLocalFile(m_pictures)});
        QDragEnterEvent enter(QPoint(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(m_window.get(), &enter);
        QDropEvent drop(QPointF(400, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(m_window.get(), &drop);
        QVERIFY(settled());
        QCOMPARE(session().trialCount(), 12);
        DO(press(Qt::Key_R, Qt::ControlModifier));
        DO(stroke(at(-34, -16), at(-34, 16)));
        DO(take());
        const auto* px = session().currentItem()->check(session().recipe().steps.front().id, "distance");
        QVERIFY(px && px->unit == base::Unit::Pixel);
        DO(typed(QString("%1 +-10").arg(px->values.front(), 0, 'f', 0)));
        const int before = m_presses;
        inDialog<CalibrateDialog>(Qt::Key_K, Qt::ControlModifier, [&](CalibrateDialog& d) {
            auto* tabs = d.findChild<QTabWidget*>(QStringLiteral("calibrateBy"));
            tabs->setCurrentIndex(1);
            ++m_presses;
            word(d.findChild<QDoubleSpinBox*>(QStringLiteral("targetPitch")), QStringLiteral("8.5"));
            QTest::keyClick(d.findChild<QDoubleSpinBox*>(QStringLiteral("targetPitch")), Qt::Key_Tab);
            // Stopped half-way, no part is left in the list to be taken for a target.
            auto* look = d.findChild<QPushButton*>(QStringLiteral("lookAmongTrials"));
            auto* table = d.findChild<QTableWidget*>(QStringLiteral("targetTable"));
            QTest::mouseClick(look, Qt::LeftButton);
            QCOMPARE(table->rowCount(), 12);
            QTest::mouseClick(d.findChild<QPushButton*>(QStringLiteral("calibrateStop")), Qt::LeftButton);
            QCOMPARE(table->rowCount(), 0);
            QTest::mouseClick(look, Qt::LeftButton);
            m_presses += 2;
            auto* sentence = d.findChild<QLabel*>(QStringLiteral("calibrationSentence"));
            QVERIFY(waitFor([&] { return sentence->text().startsWith(QStringLiteral("Good for ±")); }, 120000));
            QCOMPARE(table->rowCount(), 8);
            auto* take = d.findChild<QPushButton*>(QStringLiteral("takeCalibration"));
            QTest::mouseClick(take, Qt::LeftButton);
            ++m_presses;
            auto* changed = d.findChild<QListWidget*>(QStringLiteral("changedTrials"));
            QVERIFY(waitFor([&] { return !d.isVisible() || changed->isVisible(); }, 120000));
            if (d.isVisible()) {
                QTest::mouseClick(take, Qt::LeftButton);
                ++m_presses;
            }
        });
        qInfo("targets: %d presses", m_presses - before);
        QVERIFY2(m_presses - before <= 20, qPrintable(QString::number(m_presses - before)));
        // The pictures of the target are no parts any more, the limits are in mm, the width is what it is.
        QVERIFY(session().recipe().calibration.bends());
        QCOMPARE(session().trialCount(), 4);
        QCOMPARE(session().recipe().setAside.size(), std::size_t(8));
        QVERIFY(settled());
        const auto& step = session().recipe().steps.front();
        QCOMPARE(step.checks.front().limits.unit, base::Unit::Millimetre);
        // Without a datum the stroke lies on the first part alone.
        const auto* own = mine(0, "edge_pair", "distance");
        QVERIFY(own && own->unit == base::Unit::Millimetre && !own->values.empty());
        const double width = demo::plate(f, 3, 0).truth.width;
        QVERIFY2(std::abs(own->values.front() - width) < 0.03,
                 qPrintable(QString("%1 for %2").arg(own->values.front()).arg(width)));
        // One step back brings everything back; opened again the dialog knows what was entered.
        session().undo();
        QVERIFY(!session().recipe().calibrated());
        QCOMPARE(session().trialCount(), 12);
        inDialog<CalibrateDialog>(Qt::Key_K, Qt::ControlModifier, [&](CalibrateDialog& d) {
            QCOMPARE(d.findChild<QDoubleSpinBox*>(QStringLiteral("targetPitch"))->value(), 8.5);
            QCOMPARE(d.findChild<QTabWidget*>(QStringLiteral("calibrateBy"))->currentIndex(), 1);
            d.reject();
        });
        // A folder added again leaves out what was set aside.
        session().redo();
        QApplication::sendEvent(m_window.get(), &drop);
        QCOMPARE(session().trialCount(), 4);
    }
};

QTEST_MAIN(RecipesWindowTest)
#include "recipes_window_test.moc"
