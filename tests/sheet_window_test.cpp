// Sheet, settings and grid of Set up in use, through the real window: regions by numbers, handles that jump to what was
// found, marks put into fields, strokes over one of many, columns that carry their worst place, the guide at hand.
#include "demo/carton.h"
#include "desktop/find_dialog.h"
#include "desktop/guide_window.h"
#include "desktop/help_dialog.h"
#include "desktop/param_form.h"
#include "inspect/worst.h"
#include "window_support.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLineEdit>
#include <QListWidget>
#include <QTextBrowser>
#include <QToolButton>
#include <QToolTip>

using namespace support;
using namespace desktop;
using geometry::Point;

class SheetWindowTest : public QObject
{
    Q_OBJECT
    OwnPlace m_place;
    QTemporaryDir m_demo, m_carton;
    std::unique_ptr<MainWindow> m_window;

    Session& session() { return m_window->session(); }
    SetupPage& page() { return *m_window->setupPage(); }
    SheetView* sheet() { return page().sheet(); }
    bool settled()
    {
        return waitFor([&] { return session().settled(); }, 60000);
    }
    void open(const QTemporaryDir& dir, const char* recipe)
    {
        QVERIFY(m_window->openRecipe(dir.filePath(QLatin1String(recipe))));
        QVERIFY(settled());
    }
    QPointF onPlate(double x, double y)
    {
        const auto motion = inspect::Placing(session().recipe(), session().currentItem()).following("plate");
        const double k = 1 / session().recipe().mmPerPixel();
        return sheet()->screenOf(motion->motion().now.toPicture({x * k, y * k}));
    }
    template <class W> W* field(const QString& name)
    {
        W* found = nullptr;
        waitFor(
            [&] {
                for (W* w : page().evidence()->form()->findChildren<W*>(name))
                    if (w->isVisible()) found = w;
                return found != nullptr;
            },
            3000);
        return found;
    }
    void key(int k, Qt::KeyboardModifiers m = Qt::NoModifier)
    {
        giveKeys(sheet());
        QTest::keyClick(sheet(), Qt::Key(k), m);
        QVERIFY(settled());
    }
    void move(QWidget* w, QPointF to, Qt::KeyboardModifiers keys = Qt::NoModifier)
    {
        QMouseEvent e(QEvent::MouseMove, to, w->mapToGlobal(to), Qt::NoButton, Qt::LeftButton, keys);
        QApplication::sendEvent(w, &e);
    }
    void wheel(QWidget* w, QPointF at, int way, Qt::KeyboardModifiers keys)
    {
        QWheelEvent e(at, w->mapToGlobal(at), {}, {0, way}, Qt::NoButton, keys, Qt::NoScrollPhase, false);
        QApplication::sendEvent(w, &e);
    }
    static double valueOf(const inspect::ItemResult* item, const std::string& step, const char* output)
    {
        const auto* r = item ? item->step(step) : nullptr;
        const auto* o = r ? r->output(output) : nullptr;
        return o && !o->values.empty() ? o->values.front() : std::nan("");
    }
private slots:
    void initTestCase()
    {
        writeDemo(m_demo, 6);
        QVERIFY(demo::writeCartonPanels(m_carton.path().toStdString(), 1, 6, {612, 512, 0.208}));
        m_window = openWindow(m_place.path("data"));
    }
    void cleanupTestCase()
    {
        if (m_window) m_window->session().forgetRecovery();
        m_window.reset();
    }
    void init() { open(m_demo, "reed-plate.dikkat"); }

    // ---- settings
    void aRegionIsTypedInNumbers()
    {
        session().select("width");
        QVERIFY(settled());
        auto* unfold = field<QToolButton>(QStringLiteral("numbers_window"));
        QVERIFY(unfold);
        QTest::mouseClick(unfold, Qt::LeftButton);
        auto* width = field<QDoubleSpinBox>(QStringLiteral("region_width"));
        QVERIFY(width);
        const auto before = session().recipe().find("width")->regions.at("window");
        QCOMPARE(width->value(), std::round(before.width * 100) / 100);
        width->setFocus();
        width->selectAll();
        QTest::keyClicks(width, QStringLiteral("33.5"));
        QTest::keyClick(width, Qt::Key_Return);
        QVERIFY(settled());
        QCOMPARE(session().recipe().find("width")->regions.at("window").width, 33.5);
        QCOMPARE(session().recipe().find("width")->regions.at("window").from, before.from);
        // A width that cannot be is refused, and the field says again what is so.
        width = field<QDoubleSpinBox>(QStringLiteral("region_width"));
        width->setFocus();
        width->selectAll();
        QTest::keyClicks(width, QStringLiteral("-4"));
        QTest::keyClick(width, Qt::Key_Return);
        QCOMPARE(session().recipe().find("width")->regions.at("window").width, 33.5);
        QTRY_COMPARE(field<QDoubleSpinBox>(QStringLiteral("region_width"))->value(), 33.5);
        session().undo();
        QVERIFY(session().recipe().find("width")->regions.at("window") == before);
    }
    void everyShapeHasItsNumbers()
    {
        session().select("slots");
        QVERIFY(settled());
        if (auto* unfold = field<QToolButton>(QStringLiteral("numbers_region")))
            QTest::mouseClick(unfold, Qt::LeftButton);
        const std::map<geometry::Shape, QStringList> wanted{
            {geometry::Shape::Rectangle, {"centre_x", "centre_y", "width", "height", "angle"}},
            {geometry::Shape::Circle, {"centre_x", "centre_y", "radius"}},
            {geometry::Shape::Ring, {"centre_x", "centre_y", "inner", "outer"}},
            {geometry::Shape::Arc, {"centre_x", "centre_y", "inner", "outer", "start", "sweep"}},
            {geometry::Shape::Polygon, {"x1", "y1", "x4", "y4"}},
            {geometry::Shape::Window, {"from_x", "from_y", "to_x", "to_y", "width"}}};
        std::set<geometry::Shape> seen;
        for (int i = 0; i < 6; ++i) {
            const auto shape = session().recipe().find("slots")->regions.at("region").shape;
            seen.insert(shape);
            for (const QString& name : wanted.at(shape))
                QVERIFY2(field<QDoubleSpinBox>(QStringLiteral("region_") + name),
                         qPrintable(name + " of " + geometry::name(shape)));
            key(Qt::Key_C);
        }
        QCOMPARE(seen.size(), wanted.size());
    }
    void aMarkIsPutIntoAField()
    {
        session().select("edge");
        QVERIFY(settled());
        const std::string was = session().recipe().find("edge")->inputs.at("second");
        auto* box = field<QComboBox>(QStringLiteral("input_second"));
        QVERIFY(box);
        // Pulled from the lower edge over the window's border into the field.
        const QPointF from = onPlate(20, 13),
                      to = sheet()->mapFromGlobal(box->mapToGlobal(QPointF(box->rect().center())));
        QVERIFY(!QRectF(sheet()->rect()).contains(to));
        QTest::mousePress(sheet(), Qt::LeftButton, Qt::NoModifier, from.toPoint());
        for (int i = 1; i <= 6; ++i) move(sheet(), from + (to - from) * i / 6.0);
        QTest::mouseRelease(sheet(), Qt::LeftButton, Qt::NoModifier, to.toPoint());
        QVERIFY(settled());
        QVERIFY(!session().draft());
        QVERIFY(session().recipe().find("edge")->inputs.at("second") != was);
        QCOMPARE(session().recipe().find(session().recipe().find("edge")->inputs.at("second"))->kind,
                 std::string("line"));
        session().undo();
        QCOMPARE(session().recipe().find("edge")->inputs.at("second"), was);
        // A label carried there does the same, and stays where it stands.
        QVERIFY(settled());
        sheet()->repaint();
        const auto& labels = sheet()->labels();
        const auto label =
            std::find_if(labels.begin(), labels.end(), [](const auto& l) { return l.step == "burr_top"; });
        QVERIFY(label != labels.end());
        const QPointF start = label->box.center();
        box = field<QComboBox>(QStringLiteral("input_second"));
        QTest::mousePress(sheet(), Qt::LeftButton, Qt::NoModifier, start.toPoint());
        for (int i = 1; i <= 6; ++i) move(sheet(), start + (to - start) * i / 6.0);
        QTest::mouseRelease(sheet(), Qt::LeftButton, Qt::NoModifier, to.toPoint());
        QCOMPARE(session().recipe().find("edge")->inputs.at("second"), std::string("burr_top"));
        QVERIFY(!session().recipe().find("burr_top")->checks[0].labelAt);
    }

    // ---- sheet
    void aHandleJumpsToWhatWasFound()
    {
        session().setShowReference(true);
        QVERIFY(settled());
        session().select("hole_left");
        QVERIFY(settled());
        // The ring of the left hole, carried near the right one.
        const Point right = recipe::placeOf(session().currentItem()->step("hole_right")->features.begin()->second);
        const Point from = session().recipe().find("hole_left")->regions.at("ring").middle();
        const QPointF near = sheet()->screenOf(right) + QPointF(3, 2);
        drag(sheet(), sheet()->screenOf(from), near);
        const Point now = session().recipe().find("hole_left")->regions.at("ring").centre;
        QVERIFY2(geometry::distance(now, right) < 0.01, qPrintable(QString::number(geometry::distance(now, right))));
        session().undo();
        QVERIFY(settled());
        // With S it stays where the hand lets go.
        key(Qt::Key_S);
        QVERIFY(sheet()->modes().contains(QStringLiteral("no snapping")));
        drag(sheet(), sheet()->screenOf(from), near);
        const Point free = session().recipe().find("hole_left")->regions.at("ring").centre;
        const double off = geometry::distance(free, right) * sheet()->zoom();
        QVERIFY2(off > 2.5 && off < 5, qPrintable(QString::number(off)));
        key(Qt::Key_S);
        session().undo();
    }
    void snappingOffLeavesTheStrokeAskew()
    {
        session().setShowReference(true);
        QVERIFY(settled());
        const auto turnOf = [&] {
            const auto& w = session().draft()->offer().step.regions.begin()->second;
            return std::abs(std::remainder(geometry::degrees(geometry::angleOf(w.to - w.from)), 90.0));
        };
        drag(sheet(), onPlate(36, -16), onPlate(37.6, 16));
        QVERIFY(session().draft());
        QVERIFY2(turnOf() < 0.3, qPrintable(QString::number(turnOf())));
        key(Qt::Key_Escape);
        key(Qt::Key_S);
        drag(sheet(), onPlate(36, -16), onPlate(37.6, 16));
        QVERIFY(session().draft());
        QVERIFY2(turnOf() > 2, qPrintable(QString::number(turnOf())));
        key(Qt::Key_Escape);
        key(Qt::Key_S);
    }
    void shiftFromFeatureToFeatureMeasuresAlongTheDatum()
    {
        session().setTrial(0);
        QVERIFY(settled());
        drag(sheet(), onPlate(-demo::kHolePitch / 2, demo::kHoleY), onPlate(20, -13), Qt::ShiftModifier);
        QVERIFY(session().draft());
        QCOMPARE(session().draft()->offer().step.kind, std::string("distance"));
        const auto* along = recipe::findKind("distance")->param("along");
        QCOMPARE(std::get<std::string>(along->get(session().draft()->offer().step.params)), std::string("datum_x"));
        key(Qt::Key_Escape);
    }
    void aStrokeOverOneOfManyAsksForEach()
    {
        session().setTrial(0);
        QVERIFY(settled());
        const double slot = demo::kFirstSlot + 3 * demo::kSlotPitch;
        drag(sheet(), onPlate(slot - 3, 0), onPlate(slot + 3, 0));
        QVERIFY(session().draft());
        const auto& offers = session().draft()->offers;
        const auto each =
            std::find_if(offers.begin(), offers.end(), [](const auto& o) { return o.words == "each of 10"; });
        QVERIFY(each != offers.end());
        session().chooseOffer(int(each - offers.begin()));
        key(Qt::Key_Return);
        const auto* r = session().currentItem()->step(session().selected());
        QVERIFY2(r && r->state == inspect::State::Ok, r ? r->reason.c_str() : "");
        QCOMPARE(r->output("sizes")->values.size(), std::size_t(10));
        // Across the slots, not along them: all are equally wide, while their lengths differ.
        const auto [least, most] =
            std::minmax_element(r->output("sizes")->values.begin(), r->output("sizes")->values.end());
        QVERIFY2(*least > 1 && *most - *least < 0.1, qPrintable(QString("%1 .. %2").arg(*least).arg(*most)));
        session().dropProposal();
        session().undo();
        // Beside them, or along the whole row, nothing of the kind is offered.
        drag(sheet(), onPlate(slot - 40, -11.8), onPlate(slot + 40, -11.8));
        for (const auto& o : session().draft() ? session().draft()->offers : std::vector<recipe::Offer>{})
            QVERIFY(!QString::fromStdString(o.words).startsWith("each of"));
        session().dropDraft();
    }
    void edgesThatAreNotParallelAreSaid()
    {
        // A wedge: its edges 3° apart.
        const double half = geometry::radians(1.5);
        image::Image picture(640, 480, image::PixelFormat::Grey8);
        for (int y = 0; y < 480; ++y)
            for (int x = 0; x < 640; ++x) {
                const double spread = 100 + (x - 320) * std::tan(half);
                const double in = std::clamp(spread - std::abs(y - 240.0) + 0.5, 0.0, 1.0);
                picture.row(y)[x] = std::uint8_t(std::lround(210 - 160 * in));
            }
        const image::Capture capture = captureOf(std::move(picture));
        const std::map<std::string, recipe::Feature> none;
        recipe::OfferInput in{capture, 1, false, 0, none};
        recipe::Gesture g;
        g.from = {320, 80}, g.to = {320, 400};
        const auto offers = recipe::findKind("edge_pair")->offer(g, in);
        QVERIFY(!offers.empty());
        double apart = 0;
        QVERIFY2(std::sscanf(offers[0].note.c_str(), "the edges are %lf° apart", &apart) == 1, offers[0].note.c_str());
        QVERIFY2(std::abs(apart - 3) < 0.2, offers[0].note.c_str());
        // On the plate, whose edges are parallel, nothing is said.
        session().setTrial(0);
        QVERIFY(settled());
        drag(sheet(), onPlate(38, -16), onPlate(38, 16));
        QVERIFY(session().draft() && session().draft()->offer().note.empty());
        session().dropDraft();
    }
    void theWheelTakesMoreOfAColour()
    {
        open(m_carton, "carton-panel.dikkat");
        session().setShowReference(true);
        QVERIFY(settled());
        session().select("mark");
        if (!session().selectedStep())
            for (const recipe::Step& s : session().recipe().steps)
                if (recipe::findKind(s.kind)->hasSamples && recipe::findKind(s.kind)->takesColour(s.params))
                    session().select(s.id);
        QVERIFY(settled());
        const recipe::Step* s = session().selectedStep();
        QVERIFY(s && recipe::findKind(s->kind)->takesColour(s->params));
        const auto* spec = recipe::findKind(s->kind)->param(recipe::findKind(s->kind)->roles.colourTolerance);
        const auto now = [&] { return std::get<double>(spec->get(session().selectedStep()->params)); };
        const double before = now(), zoom = sheet()->zoom();
        for (int i = 0; i < 3; ++i) wheel(sheet(), QPointF(300, 200), 120, Qt::ShiftModifier);
        QCOMPARE(now(), before + 3);
        QCOMPARE(sheet()->zoom(), zoom);
        session().undo(); // one turn, one step of undo
        QCOMPARE(now(), before);
        wheel(sheet(), QPointF(300, 200), 120, Qt::NoModifier);
        QVERIFY(sheet()->zoom() > zoom);
    }
    void coloursGoGreyUnderMarks()
    {
        open(m_carton, "carton-panel.dikkat");
        session().setTrial(0);
        QVERIFY(settled());
        const auto coloured = [&] {
            const QImage seen = sheet()->grab().toImage();
            int n = 0;
            const QRectF part = QRectF(sheet()->screenOf({150, 150}), sheet()->screenOf({450, 350})).normalized();
            for (int y = int(part.top()); y < int(part.bottom()); ++y)
                for (int x = int(part.left()); x < int(part.right()); ++x)
                    n += QColor(seen.pixel(x, y)).saturation() > 120 && QColor(seen.pixel(x, y)).hue() > 290 &&
                         QColor(seen.pixel(x, y)).hue() < 345; // magenta, which no mark is
            return n;
        };
        const int before = coloured();
        auto* grey = page().action(QStringLiteral("greyUnder"));
        grey->trigger();
        const int under = coloured();
        QVERIFY2(before > 30 && under < before / 10, qPrintable(QString("%1 of %2").arg(under).arg(before)));
        sheet()->setBare(true); // without marks it has its colours again
        const int bare = coloured();
        sheet()->setBare(false);
        grey->trigger();
        QVERIFY2(bare > under, qPrintable(QString("%1, %2 under marks").arg(bare).arg(under)));
        QCOMPARE(coloured(), before);
    }

    // ---- grid
    void wideColumnsCarryTheirWorstPlace()
    {
        int bad = -1;
        for (int t = 0; t < session().trialCount(); ++t)
            if (session().result(t)->rejected() && inspect::worstSpot(session().result(t)->items[0])) bad = t;
        QVERIFY(bad >= 0);
        const auto spot = *inspect::worstSpot(session().result(bad)->items[0]);
        // It is where a check fails, on the part.
        const auto* check = session().result(bad)->items[0].check(spot.step, spot.output);
        QVERIFY(check && check->verdict == inspect::Verdict::Fail);
        GridView* grid = page().grid();
        const int before = grid->height();
        for (int i = 0; i < 4 && grid->columnWidth() < 60; ++i)
            wheel(grid->viewport(), QPointF(600, 60), 120, Qt::ControlModifier);
        QVERIFY(grid->columnWidth() >= 60);
        auto& source = grid->source();
        QVERIFY(waitFor([&] { return !source.crop(-1, bad).isNull(); }, 10000));
        // Level, whatever way the part lies: the crop of a burr-free edge is made from the same picture, so compare with
        // what lies there.
        const QImage crop = source.crop(-1, bad);
        QCOMPARE(crop.size(), QSize(2 * TrialCrops::kWide, 2 * TrialCrops::kHigh));
        const auto capture = *image::loadCapture(session().recipe().trials[std::size_t(bad)].picture);
        const double here = capture.first().grey().levelAt(int(spot.at.x), int(spot.at.y));
        const int seen = qGray(crop.pixel(crop.width() / 2, crop.height() / 2));
        QVERIFY2(std::abs(seen - here) < 60, qPrintable(QString("%1 for %2").arg(seen).arg(here)));
        QTRY_VERIFY(grid->height() >= before); // the rows keep their room
        // Every wide cell says its value without the unit that stands in the head.
        for (int r = 0; r < source.rows(); ++r)
            if (source.row(r).step == "width" && source.row(r).kind == RowKind::Check)
                QVERIFY(!source.cell(r, 0).figure.isEmpty() && !source.cell(r, 0).figure.contains("mm"));
        QVERIFY(waitFor([&] { return !source.whole(bad).isNull(); }, 10000));
        for (int i = 0; i < 4 && grid->columnWidth() > 28; ++i)
            wheel(grid->viewport(), QPointF(600, 60), -120, Qt::ControlModifier);
    }
    void hoveringACellShowsItsPlace()
    {
        GridView* grid = page().grid();
        int row = -1;
        for (int r = 0; r < grid->source().rows(); ++r)
            if (grid->source().row(r).step == "width") row = r;
        QVERIFY(waitFor([&] { return !grid->source().crop(row, 1).isNull(); }, 10000));
        const QPoint at = grid->cellRect(row, 1).center();
        QHelpEvent help(QEvent::ToolTip, at, grid->viewport()->mapToGlobal(at));
        QApplication::sendEvent(grid->viewport(), &help);
        QVERIFY(QToolTip::text().contains(QStringLiteral("data:image/png")));
        QVERIFY(QToolTip::text().contains(QStringLiteral("Width")));
        QToolTip::hideText();
    }
    void theChosenCellIsSpoken()
    {
        session().select("width");
        session().setTrial(1);
        QVERIFY(settled());
        const QString spoken = page().grid()->accessibleDescription();
        QVERIFY2(spoken.startsWith(QStringLiteral("trial 2: Width, ")) && spoken.contains(QStringLiteral(" mm")) &&
                     spoken.contains(QStringLiteral("% of tolerance")),
                 qPrintable(spoken));
    }
    void checksOfOneStepStandUnderOneBracket()
    {
        std::map<std::string, std::vector<GridRow::Bracket>> seen;
        for (int r = 0; r < page().grid()->source().rows(); ++r)
            if (const GridRow row = page().grid()->source().row(r); row.kind == RowKind::Check)
                seen[row.step].push_back(row.bracket);
        QCOMPARE(seen.at("slots"), (std::vector{GridRow::Bracket::First, GridRow::Bracket::Last}));
        QCOMPARE(seen.at("width"), std::vector{GridRow::Bracket::None});
    }
    // Rows and columns of places are a small map in each column; what is missing is a fail there.
    void aListInRowsAndColumnsIsAMap()
    {
        session().change("places", [&](recipe::Recipe& r) {
            recipe::Check& c = r.find("slots")->checks.back();
            c.match = recipe::Match::Place;
            c.elements.clear();
            for (int i = 0; i < 6; ++i) {
                recipe::Element e;
                e.at = Point{500.0 + 60 * (i % 3), 400.0 + 60 * (i / 3)};
                c.elements.push_back(e);
            }
        });
        QVERIFY(settled());
        auto& source = page().grid()->source();
        const std::string output = session().recipe().find("slots")->checks.back().output;
        int list = -1;
        for (int r = 0; r < source.rows(); ++r)
            if (source.row(r).step == "slots" && source.row(r).output == output) list = r;
        QVERIFY(list >= 0 && source.row(list).folds);
        emit page().grid()->foldToggled(list);
        QCOMPARE(int(source.row(list + 1).kind), int(RowKind::Map));
        const auto spots = source.spots(list + 1, 0);
        QCOMPARE(spots.size(), std::size_t(6));
        for (const GridSpot& s : spots) // there is no slot at any of them
            QVERIFY(s.missing && s.verdict == inspect::Verdict::Fail);
        QVERIFY(std::abs(spots[0].x) < 0.01 && std::abs(spots[5].x - 1) < 0.01 && std::abs(spots[5].y - 0.5) < 0.01);
        // Its elements: ✕ with the word, no hatch.
        const GridCell cell = source.cell(list + 2, 0);
        QCOMPARE(int(cell.verdict), int(inspect::Verdict::Fail));
        QVERIFY(cell.text.contains(QStringLiteral("missing")));
        emit page().grid()->foldToggled(list);
        session().undo();
    }

    // ---- guide
    void theGuideIsAtHand()
    {
        QVERIFY(guidePages().size() > 10);
        for (const GuidePage& p : guidePages()) QVERIFY2(!p.title.isEmpty(), qPrintable(p.file));
        session().select("width");
        giveKeys(sheet());
        // Help for this: with the picture of its gesture, and a way into the guide.
        whenDialog([&](QDialog& d) {
            auto* text = d.findChild<QTextBrowser*>(QStringLiteral("helpText"));
            QVERIFY(text && text->toHtml().contains(QStringLiteral("edge_pair.jpg")));
            QVERIFY(text->document()
                        ->resource(QTextDocument::ImageResource,
                                   QUrl(QStringLiteral("qrc:/docs/guide/kinds/edge_pair.jpg")))
                        .isValid());
            emit text->anchorClicked(QUrl(QStringLiteral("first-width.md")));
        });
        QTest::keyClick(sheet(), Qt::Key_F1);
        auto* guide = m_window->findChild<GuideWindow*>();
        QVERIFY(guide && guide->isVisible());
        auto* text = guide->findChild<QTextBrowser*>(QStringLiteral("guideText"));
        QVERIFY(text->source().toString().endsWith(QStringLiteral("first-width.md")));
        QVERIFY(text->toPlainText().size() > 200);
        // Every link of every page leads to a page that is there.
        auto* list = guide->findChild<QListWidget*>(QStringLiteral("guidePages"));
        for (int i = 0; i < list->count(); ++i) {
            list->setCurrentRow(i);
            QVERIFY2(text->toPlainText().size() > 100, qPrintable(list->item(i)->text()));
        }
        guide->close();
        // Found by what one looks for.
        whenDialog<FindDialog>([&](FindDialog& d) {
            auto* edit = d.findChild<QLineEdit*>(QStringLiteral("findText"));
            QTest::keyClicks(edit, QStringLiteral("calibrat millimetres"));
            const auto page = std::find_if(d.hits().begin(), d.hits().end(),
                                           [](const Hit& h) { return h.where == QStringLiteral("guide"); });
            QVERIFY(page != d.hits().end());
            for (auto i = d.hits().begin(); i != page; ++i) QTest::keyClick(edit, Qt::Key_Down);
            QTest::keyClick(edit, Qt::Key_Return);
        });
        giveKeys(sheet());
        QTest::keyClick(sheet(), Qt::Key_F, Qt::ControlModifier);
        QTRY_VERIFY(guide->isVisible());
        QVERIFY(text->source().toString().endsWith(QStringLiteral("calibrate.md")));
        guide->close();
    }
    void everyKindHasItsPicture()
    {
        for (const recipe::StepKind& k : recipe::allStepKinds()) {
            if (k.gesture.empty() || k.key == "formula") continue;
            QVERIFY2(QFile::exists(QStringLiteral(":/docs/guide/kinds/%1.jpg").arg(QString::fromStdString(k.key))),
                     k.key.c_str());
            QVERIFY2(std::any_of(guidePages().begin(), guidePages().end(),
                                 [&](const GuidePage& p) { return p.file == guidePageFor(k); }),
                     k.key.c_str());
        }
    }
};

QTEST_MAIN(SheetWindowTest)
#include "sheet_window_test.moc"
