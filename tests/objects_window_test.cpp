// What a step looked at one by one, how it came to that, and finding things by words: through the real window.
#include "desktop/find_dialog.h"
#include "desktop/objects_view.h"
#include "desktop/param_form.h"
#include "window_support.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTreeWidget>

using namespace support;
using namespace desktop;

class ObjectsWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_demo;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    SetupPage& page() { return *m_window->findChild<SetupPage*>(); }
    ObjectsView& objects() { return *page().evidence()->objects(); }
    std::string stepOf(const std::string& kind)
    {
        for (const auto& s : session().recipe().steps)
            if (s.kind == kind) return s.id;
        qFatal("no step of kind %s", kind.c_str());
    }
    void point(geometry::Point picture)
    {
        auto* sheet = page().sheet();
        const QPointF at = sheet->screenOf(picture);
        QMouseEvent move(QEvent::MouseMove, at, sheet->mapToGlobal(at), Qt::NoButton, Qt::NoButton, Qt::NoModifier);
        QApplication::sendEvent(sheet, &move);
    }
    bool told()
    {
        return waitFor([&] { return session().settled() && !objects().waiting(); });
    }
    void showObjects(const std::string& kind)
    {
        session().select(stepOf(kind));
        giveKeys(page().sheet());
        if (!page().evidence()->showsObjects()) QTest::keyClick(page().sheet(), Qt::Key_H, Qt::ShiftModifier);
        QVERIFY(page().evidence()->showsObjects());
        QVERIFY(told());
        QVERIFY(objects().isVisible() && !objects().table().empty());
    }
    void find(const std::function<void(FindDialog&, QLineEdit&)>& call)
    {
        giveKeys(page().sheet());
        whenDialog<FindDialog>(
            [call](FindDialog& d) { call(d, *d.findChild<QLineEdit*>(QStringLiteral("findText"))); });
        QTest::keyClick(page().sheet(), Qt::Key_F, Qt::ControlModifier);
    }
private slots:
    void initTestCase() { writeDemo(m_demo, 6); }
    void init()
    {
        m_window = openWindow(m_place.path(QStringLiteral("data")));
        QVERIFY(m_window->openRecipe(m_demo.filePath(QStringLiteral("reed-plate.dikkat"))));
        QVERIFY(waitFor([&] { return session().settled(); }));
        session().setTrial(0);
        QVERIFY(waitFor([&] { return session().settled(); }));
    }
    void cleanup()
    {
        if (m_window) m_window->session().forgetRecovery();
        m_window.reset();
    }
    void theTableHoldsEveryObject()
    {
        showObjects("blobs");
        const auto& table = objects().table();
        const auto* result = session().currentItem()->step(stepOf("blobs"));
        QCOMPARE(double(objects().kept()), result->output("count")->values.front());
        QCOMPARE(objects().tableView()->model()->rowCount(), int(table.rows.size()));
        // A row that is chosen is ringed on the sheet, and a click on the sheet chooses a row.
        objects().choose(2);
        QVERIFY(session().pointed());
        QVERIFY(geometry::distance(session().pointed()->at, table.rows[2].at) < 1e-6);
        const auto at = table.rows[4].at;
        QTest::mouseClick(page().sheet(), Qt::LeftButton, Qt::NoModifier, page().sheet()->screenOf(at).toPoint());
        QTRY_COMPARE(objects().chosen(), 4);
        QVERIFY(!session().draft()); // it was meant for the table
        // Sorted by a column, rows keep what they are.
        const int areas = table.column("areas");
        objects().tableView()->sortByColumn(2 + areas, Qt::DescendingOrder);
        const auto* model = objects().tableView()->model();
        double last = INFINITY;
        for (int r = 0; r < model->rowCount(); ++r) {
            const double v = model->index(r, 2 + areas).data(Qt::UserRole).toDouble();
            QVERIFY(v <= last);
            last = v;
        }
    }
    void howComeNamesWhatTurnedItAway()
    {
        // Slots are asked to be larger than they are: one under the pointer says so.
        const std::string id = stepOf("blobs");
        const auto* kind = recipe::findKind("blobs");
        const auto slot = session().currentItem()->step(id)->objects.rows.front();
        session().change(QStringLiteral("larger"), [&](recipe::Recipe& r) {
            kind->param("least_area")->put(r.find(id)->params, 2 * slot.values.front());
        });
        QVERIFY(waitFor([&] { return session().settled(); }));
        giveKeys(page().sheet());
        point(slot.at);
        QTest::keyClick(page().sheet(), Qt::Key_H);
        QVERIFY(told());
        QTRY_VERIFY2(page().sheet()->pointerText().contains(QStringLiteral("Least size")),
                     qPrintable(page().sheet()->pointerText()));
        QVERIFY(page().sheet()->pointerText().contains(QStringLiteral("too little")));
        QVERIFY(session().pointed() && !session().pointed()->kept);
        QCOMPARE(session().selected(), id);
        // Beside everything: what is seen there, and what would be taken.
        point({5, 5});
        QTest::keyClick(page().sheet(), Qt::Key_H);
        QTRY_VERIFY(page().sheet()->pointerText().contains(QStringLiteral("outside the region")) ||
                    page().sheet()->pointerText().contains(QStringLiteral("not taken")));
    }
    void aFilterIsDraggedOnThePlot()
    {
        showObjects("blobs");
        auto* plot = objects().plot();
        const std::string id = stepOf("blobs");
        QVERIFY(session().recipe().find(id)->filters.empty());
        const int before = objects().kept();
        // The high bound of the value to the right waits dashed at the edge; it is pulled to the middle.
        int high = -1;
        for (std::size_t i = 0; i < plot->handles().size(); ++i)
            if (plot->handles()[i].id == QStringLiteral("areas.high")) high = int(i);
        QVERIFY(high >= 0 && plot->handles()[std::size_t(high)].dashed);
        std::vector<double> areas = objects().table().list(objects().table().column("areas"));
        std::sort(areas.begin(), areas.end());
        const QPointF from = plot->handlePoint(high) + QPointF(0, 30);
        const double target = (areas[areas.size() / 2] + areas[areas.size() / 2 - 1]) / 2;
        drag(plot, from, {plot->xAxis->coordToPixel(target), from.y()});
        QVERIFY(told());
        const auto& filters = session().recipe().find(id)->filters;
        QCOMPARE(filters.size(), std::size_t(1));
        QVERIFY(filters[0].output == "areas" && filters[0].high && !filters[0].low);
        const double bound = *filters[0].high;
        const int expected = int(std::count_if(areas.begin(), areas.end(), [&](double a) { return a <= bound; }));
        QTRY_COMPARE(objects().kept(), expected);
        QVERIFY(expected < before);
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier); // one gesture, one undo
        QVERIFY(session().recipe().find(id)->filters.empty());
    }
    void examplesBecomeFilters()
    {
        showObjects("blobs");
        const std::string id = stepOf("blobs");
        const auto& table = objects().table();
        const int areas = table.column("areas");
        int least = 0, most = 0;
        for (int i = 0; i < objects().kept(); ++i) {
            const auto value = [&](int row) { return table.rows[std::size_t(row)].values[std::size_t(areas)]; };
            if (value(i) < value(least)) least = i;
            if (value(i) > value(most)) most = i;
        }
        QVERIFY(least != most);
        objects().choose(most);
        giveKeys(page().sheet());
        QTest::keyClick(page().sheet(), Qt::Key_J);
        auto* take = objects().findChild<QPushButton*>(QStringLiteral("takeFilters"));
        QVERIFY(take->isVisible() && !take->isEnabled()); // one kind alone says nothing
        objects().choose(least);
        QTest::keyClick(page().sheet(), Qt::Key_J, Qt::ShiftModifier);
        QVERIFY(take->isEnabled());
        QVERIFY(
            objects().findChild<QLabel*>(QStringLiteral("examplesText"))->text().contains(QStringLiteral("margin")));
        const auto liked = table.rows[std::size_t(most)], unliked = table.rows[std::size_t(least)];
        click(take);
        const auto filters = session().recipe().find(id)->filters;
        QVERIFY(!filters.empty());
        QVERIFY(inspect::keeps(table, liked.values, filters) && !inspect::keeps(table, unliked.values, filters));
        QVERIFY(told());
    }
    void edgesAndFindsHaveTheSameTable()
    {
        for (const char* kind : {"edge_pair", "pattern"}) {
            showObjects(kind);
            QVERIFY2(objects().kept() >= 1, kind);
        }
        // The best false find of the pattern stands below the kept one, with what it lacks.
        const auto& rows = objects().table().rows;
        for (std::size_t i = 1; i < rows.size(); ++i) QVERIFY(rows[i].values[0] <= rows[i - 1].values[0]);
        session().select(stepOf("distance"));
        QVERIFY(!objects().available());
        QVERIFY(!objects().isVisible() && page().evidence()->findChild<EvidencePlot*>(QStringLiteral("trialsPlot")));
    }
    void theFormStandsBesideTheGridWhereThereIsRoom()
    {
        auto* form = page().evidence()->form();
        QVERIFY(form->isVisible());
        QVERIFY(!page().evidence()->isAncestorOf(form)); // six trials leave room beside the grid
        session().select(stepOf("distance"));
        QTRY_VERIFY(form->findChild<QLineEdit*>(QStringLiteral("stepName")));
        // Few pictures more than fit beside it: it goes back below the plots.
        QStringList many;
        for (int i = 0; i < 12; ++i)
            for (int k = 1; k <= 6; ++k) {
                const QString from = m_demo.filePath(QStringLiteral("plate-%1.png").arg(k, 3, 10, QLatin1Char('0'))),
                              to = m_demo.filePath(QStringLiteral("again-%1-%2.png").arg(i).arg(k));
                if (QFile::exists(from) && QFile::copy(from, to)) many << to;
            }
        QVERIFY(many.size() >= 40);
        session().addTrials(many);
        QTRY_VERIFY(page().evidence()->isAncestorOf(form));
        QVERIFY(form->isVisible());
    }
    void findLeadsEverywhere()
    {
        // By what a kind is for.
        find([&](FindDialog& d, QLineEdit& edit) {
            QTest::keyClicks(&edit, QStringLiteral("burr"));
            QVERIFY(!d.hits().empty());
            QVERIFY(std::any_of(d.hits().begin(), d.hits().end(),
                                [](const Hit& h) { return h.what == QStringLiteral("Farthest point"); }));
            QTest::keyClick(&edit, Qt::Key_Escape);
        });
        // A setting of a step: it stands in the form with the keyboard.
        find([&](FindDialog& d, QLineEdit& edit) {
            QTest::keyClicks(&edit, QStringLiteral("connected"));
            QVERIFY(!d.hits().empty() && d.hits().front().what == QStringLiteral("Connected by"));
            QTest::keyClick(&edit, Qt::Key_Return);
        });
        QCOMPARE(session().selectedStep()->kind, std::string("blobs"));
        const auto focused = [&] {
            auto* field = page().evidence()->form()->findChild<QWidget*>(QStringLiteral("connectivity"));
            return field && field->hasFocus();
        };
        m_window->activateWindow();
        QTRY_VERIFY(focused());
        // A trial by its number.
        find([&](FindDialog&, QLineEdit& edit) {
            QTest::keyClicks(&edit, QStringLiteral("show 4"));
            QTest::keyClick(&edit, Qt::Key_Return);
        });
        QCOMPARE(session().trial(), 3);
    }
    void setShowsAndTakesALimit()
    {
        const recipe::Check* width = nullptr;
        std::string step;
        for (const auto& s : session().recipe().steps)
            for (const auto& c : s.checks)
                if (c.name == "Width") width = &c, step = s.id;
        QVERIFY(width);
        const auto before = width->limits;
        const int balloon = width->balloon;
        const auto now = [&] {
            for (const auto& c : session().recipe().find(step)->checks)
                if (c.balloon == balloon) return c.limits;
            return recipe::Limits{};
        };
        // Shown while it is typed, taken back by Esc.
        find([&](FindDialog&, QLineEdit& edit) {
            QTest::keyClicks(&edit, QStringLiteral("set %1 0.001").arg(balloon));
            QCOMPARE(now().plus, 0.001);
            QTest::keyClick(&edit, Qt::Key_Escape);
        });
        QVERIFY(now() == before);
        // It was never done: nothing to undo or redo, nothing unsaved.
        QVERIFY(!session().canUndo() && !session().canRedo() && !session().modified());
        find([&](FindDialog&, QLineEdit& edit) {
            QTest::keyClicks(&edit, QStringLiteral("set width 26 +-0.2"));
            QTest::keyClick(&edit, Qt::Key_Return);
        });
        QCOMPARE(now().plus, 0.2);
        giveKeys(page().sheet());
        QTest::keyClick(m_window.get(), Qt::Key_Z, Qt::ControlModifier); // one undo
        QVERIFY(now() == before);
        // What cannot be done says why and does nothing.
        find([&](FindDialog& d, QLineEdit& edit) {
            QTest::keyClicks(&edit, QStringLiteral("set 999 0.2"));
            QVERIFY(d.hits().empty());
            QVERIFY(d.findChild<QLabel*>(QStringLiteral("findNote"))->text().contains(QStringLiteral("999")));
            QTest::keyClick(&edit, Qt::Key_Escape);
        });
        QVERIFY(now() == before);
    }
    void theSameWordsGiveTheSameAnswer()
    {
        QString first;
        for (int i = 0; i < 2; ++i)
            find([&](FindDialog& d, QLineEdit& edit) {
                QTest::keyClicks(&edit, QStringLiteral("gap"));
                QVERIFY(!d.hits().empty());
                if (i == 0) first = d.hits().front().what;
                QCOMPARE(d.hits().front().what, first);
                QTest::keyClick(&edit, Qt::Key_Escape);
            });
    }
};

QTEST_MAIN(ObjectsWindowTest)
#include "objects_window_test.moc"
