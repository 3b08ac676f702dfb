// Whole recipes made in the window by mouse and keys, from nothing: how many presses they take, and that what they
// measure is what the shipped recipe measures. A typed word counts as one press.
#include "demo/small_sets.h"
#include "desktop/calibrate_dialog.h"
#include "desktop/check_dialog.h"
#include "desktop/param_form.h"
#include "desktop/proposals_dialog.h"
#include "window_support.h"

#include <QDoubleSpinBox>
#include <QMimeData>
#include <QPushButton>
#include <QSpinBox>
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
    QTemporaryDir m_demo, m_plates;
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
                                .following(m_shipped.steps.front().id);
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
        m_presses = 0, m_item = 0;
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
        auto* finds = page().evidence()->form()->findChild<QSpinBox*>(QStringLiteral("finds"));
        if (!finds) { // among the rest
            QTest::mouseClick(page().evidence()->form()->findChild<QToolButton*>(QStringLiteral("allSettings")),
                              Qt::LeftButton);
            ++m_presses;
            QTRY_VERIFY(finds = page().evidence()->form()->findChild<QSpinBox*>(QStringLiteral("finds")));
        }
        word(finds, QStringLiteral("12"));
        QTest::keyClick(finds, Qt::Key_Tab);
        QVERIFY(settled());
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
};

QTEST_MAIN(RecipesWindowTest)
#include "recipes_window_test.moc"
