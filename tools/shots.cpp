// shots DEMO_FOLDER OUTPUT_FOLDER [SCENE…] - opens the demo in the real window and keeps a picture of each main view:
// without scenes those of docs/screenshots, else the ones named ("all": every one; "kinds": one of each kind of step).
#include "demo/conveyor.h"
#include "desktop/calibrate_dialog.h"
#include "desktop/camera_dialog.h"
#include "desktop/check_dialog.h"
#include "desktop/drawing_dialog.h"
#include "desktop/fault_list.h"
#include "desktop/find_dialog.h"
#include "desktop/fit_dialog.h"
#include "desktop/guide_window.h"
#include "desktop/help_dialog.h"
#include "desktop/hints.h"
#include "desktop/main_window.h"
#include "desktop/objects_view.h"
#include "desktop/outputs_dialog.h"
#include "desktop/person.h"
#include "desktop/pictures_dialog.h"
#include "desktop/proposals_dialog.h"
#include "desktop/recipe_dialog.h"
#include "desktop/records/events_dialog.h"
#include "desktop/records/records_page.h"
#include "desktop/records/records_setup.h"
#include "desktop/repeat_dialog.h"
#include "desktop/revisions_dialog.h"
#include "desktop/run/release_dialog.h"
#include "desktop/samples_dialog.h"
#include "desktop/screen_dialog.h"
#include "desktop/sign_in_dialog.h"
#include "desktop/style.h"
#include "desktop/trace_dialog.h"
#include "records/picture_store.h"
#include "records/record_log.h"
#include "tests/kind_gestures.h"

#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QElapsedTimer>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSettings>
#include <QSpinBox>
#include <QTabWidget>
#include <QTableWidget>
#include <QTemporaryDir>
#include <QTest>
#include <iostream>

namespace
{
using namespace desktop;
using geometry::Point;

template <class F> bool waitFor(F done, int milliseconds = 60000)
{
    QElapsedTimer t;
    t.start();
    while (!done() && t.elapsed() < milliseconds) QTest::qWait(20);
    return done();
}

void drag(QWidget* w, QPointF from, QPointF to, Qt::KeyboardModifiers modifiers = Qt::NoModifier, bool release = true)
{
    QTest::mousePress(w, Qt::LeftButton, modifiers, from.toPoint());
    for (int i = 1; i <= 10; ++i) QTest::mouseMove(w, (from + (to - from) * i / 10.0).toPoint());
    if (release) QTest::mouseRelease(w, Qt::LeftButton, modifiers, to.toPoint());
}

class Studio
{
public:
    Studio(QString demo, QString out)
        : m_demo(std::move(demo)), m_out(std::move(out)),
          m_window(
              [](const station::Conveyor& conveyor) {
                  return std::make_unique<station::ConveyorSource>(conveyor, [](const station::Passing& p) {
                      return demo::passingPlate(demo::Field{}, p.seed, p.number, p.faulty, p.light, p.smearMm);
                  });
              },
              m_scratch.path())
    {
        QDir().mkpath(m_out);
        m_window.resize(1280, 800);
        m_window.show();
    }
    ~Studio() { s.forgetRecovery(); }
    struct Scene {
        const char* name;
        bool kept; // in docs/screenshots
        void (Studio::*make)();
    };
    static const std::vector<Scene>& scenes();
    bool fine = true;

private:
    SetupPage& page() { return *m_window.setupPage(); }
    SheetView* sheet() { return page().sheet(); }
    QAction* action(const char* id) { return page().action(QLatin1String(id)); }
    QString file(const QString& name) const { return m_out + QLatin1Char('/') + name + QStringLiteral(".png"); }
    void keep(const QPixmap& seen, const QString& name)
    {
        if (seen.save(file(name))) return;
        std::cerr << "cannot write " << name.toStdString() << "\n";
        fine = false;
    }
    void shoot(const char* name)
    {
        QTest::qWait(250);
        keep(m_window.grab(), QLatin1String(name));
    }
    void shootDialog(QDialog& d, const char* name)
    {
        QTest::qWait(250);
        keep(d.grab(), QLatin1String(name));
    }
    void done()
    {
        fine = waitFor([this] { return s.settled(); }) && fine;
    }
    void open(const char* set)
    {
        const QString name = QLatin1String(set);
        const QString path = name == QStringLiteral("reed-plate") ? QStringLiteral("/reed-plate.dikkat")
                                                                  : QStringLiteral("/%1/%1.dikkat").arg(name);
        if (!m_window.openRecipe(m_demo + path)) {
            std::cerr << set << " does not open\n";
            fine = false;
        }
        done();
    }
    void look(const char* step, int trial, const char* output = "")
    {
        s.select(step, output);
        s.setTrial(trial);
        done();
    }
    QPointF at(double x, double y, const char* datum = "plate")
    {
        const auto motion = inspect::Placing(s.prepared()->recipe(), s.currentItem()).following(datum);
        const double k = 1 / s.recipe().mmPerPixel();
        if (motion)
            return sheet()->screenOf(motion->motion().now.toPicture({(x + m_shift.x) * k, (y + m_shift.y) * k}));
        const auto& picture = s.shownPicture().pixels; // without that datum from its middle
        return sheet()->screenOf({picture.width() / 2.0 + x * k, picture.height() / 2.0 + y * k});
    }
    void act(const gestures::Hand& hand);
    void kindPicture(const gestures::Making& m, const char* set = "reed-plate");
    void paintHand(QImage& seen, const gestures::Hand& hand);

    // ---- scenes
    void empty() { shoot("empty"); }
    void hints();
    void setup()
    {
        open("reed-plate");
        look("pitch", 5);
        shoot("setup");
    }
    void large();
    void objects();
    void difference();
    void draft();
    void find();
    void fit();
    void run();
    void records();
    void recordsMore();
    void fillRecords();
    void released();
    void dark();
    void smallPlates();
    void tuningRing();
    void runItems();
    void list();
    void wide();
    void doubts();
    void revisions();
    void tall();
    void nested();
    void calibrate();
    void repeat();
    void rest();
    void guide();
    void outputs();
    void line();
    void locked();
    void screen();
    void camera();
    void heights();
    void drawings();
    void same();
    void tiles();
    void proof();
    void kinds()
    {
        for (const gestures::Making& m : gestures::makings())
            if (!*m.words) kindPicture(m);
        for (const gestures::Making& m : gestures::heightMakings()) kindPicture(m, "reed-gap");
        for (const gestures::Making& m : gestures::drawnMakings()) kindPicture(m, "drawn-plate");
    }
    void release(const char* recipe)
    {
        open(recipe);
        if (auto ok = m_window.runPage()->release(QStringLiteral("A. Person")); !ok) fine = false;
    }

    Point m_shift; // of what is stated in mm of the plate's middle against the datum
    QTemporaryDir m_scratch;
    QString m_demo, m_out;
    MainWindow m_window;
    Session& s = m_window.session();
};

// Heights: a stroke across a step with its section, places, a turning view, a band from the side, a tray.
void Studio::heights()
{
    open("reed-gap");
    look("tips", 8, "heights");
    shoot("height-places");
    m_window.setupPage()->evidence()->showTurning(true);
    shoot("height-turning");
    m_window.setupPage()->evidence()->showTurning(false);
    look("rivets", 8);
    action("taken")->setChecked(true);
    shoot("height-side");
    action("taken")->setChecked(false);
    s.select({});
    s.viewPicture("z");
    QTest::qWait(100);
    const QPointF from = at(54.4, 2, "plate"), to = at(54.4, 14, "plate");
    drag(sheet(), from, to, {}, false);
    QTest::qWait(150);
    shoot("height-stroke");
    QTest::mouseRelease(sheet(), Qt::LeftButton, Qt::NoModifier, to.toPoint());
    QTest::qWait(300);
    shoot("height-draft");
    s.dropDraft();
    action("contours")->setChecked(true);
    shoot("height-contours");
    action("contours")->setChecked(false);
    open("organ-tray");
    look("places", 5, "heights");
    shoot("tray");
    m_window.setupPage()->evidence()->showTurning(true);
    shoot("tray-turning");
    action("evidenceLarge")->trigger();
    shoot("tray-turning-large");
    action("evidenceLarge")->trigger();
    m_window.setupPage()->evidence()->showTurning(false);
    look("kinds", 8, "of_kind");
    shoot("tray-kinds");
}

// A part against its drawing, a hole picked on it, the drawing's dialog, a part made to a drawing.
void Studio::drawings()
{
    open("drawn-plate");
    look("s2", 2, "profile");
    sheet()->fitPicture();
    shoot("drawing-deviation");
    s.setShowReference(true);
    s.change(QStringLiteral("fewer"), [](recipe::Recipe& r) { r.steps.erase(r.steps.begin() + 2, r.steps.end()); });
    s.select({});
    done();
    sheet()->setArmedKind("drawn_circle");
    act(gestures::tap({-46 + 1.35, 9}));
    shoot("drawing-pick");
    s.dropDraft();
    const auto withDialog = [&](QDialog& dialog, const char* name) {
        dialog.show();
        QTest::qWait(200);
        fine = dialog.grab().save(m_out + QLatin1Char('/') + QLatin1String(name) + QStringLiteral(".png")) && fine;
        dialog.hide();
    };
    {
        DrawingDialog dialog(s, &m_window);
        withDialog(dialog, "drawing-dialog");
    }
    s.addTrials({m_demo + QStringLiteral("/drawn-plate/unknown-part.png")});
    s.setShowReference(false);
    s.setTrial(int(s.recipe().trials.size()) - 1);
    done();
    TraceDialog dialog(s, &m_window);
    dialog.findChild<QPushButton*>("traceRound")->click();
    withDialog(dialog, "drawing-trace");
}

// Print compared with good samples, reeds in their places with a fault each, glue under red light, the samples.
void Studio::same()
{
    open("label-print");
    look("print", 5, "ratio");
    sheet()->fitPicture();
    shoot("same-area");
    open("fitted-reeds");
    look("reeds", 8, "ratios");
    sheet()->fitPicture();
    action("nextFault")->trigger();
    done();
    shoot("same-places");
    m_window.setupPage()->faults()->hide();
    look("reeds", 2, "ratios");
    shoot("same-missing");
    look("reeds", 32, "ratios");
    action("nextFault")->trigger();
    done();
    m_window.findChild<QAbstractButton*>("pairDifference")->setChecked(true);
    shoot("same-lifted");
    m_window.findChild<QAbstractButton*>("pairDifference")->setChecked(false);
    m_window.setupPage()->faults()->hide();
    look("joints", 29, "ratios");
    action("nextFault")->trigger();
    done();
    shoot("same-joints");
    m_window.setupPage()->faults()->hide();
    SamplesDialog dialog(s, &m_window);
    dialog.show();
    QTest::qWait(200);
    fine = dialog.grab().save(m_out + QStringLiteral("/same-samples.png")) && fine;
    dialog.hide();
}

// A long plate in three tiles, one of them missing; its seams.
void Studio::tiles()
{
    open("long-plate");
    look("pitch", 0, "distance");
    sheet()->fitPicture();
    shoot("tiles-plate");
    look("slots", 11, "count");
    shoot("tiles-hole");
    look("pitch", 0, "distance");
    PicturesDialog dialog(s, &m_window);
    dialog.show();
    QElapsedTimer t;
    t.start();
    while ((!dialog.settled() || t.elapsed() < 400) && t.elapsed() < 20000) QTest::qWait(50);
    dialog.findChild<QComboBox*>(QStringLiteral("seamShows"))->setCurrentIndex(0);
    fine = dialog.grab().save(m_out + QStringLiteral("/tiles.png")) && fine;
    dialog.hide();
}

// Strain, planted faults, uncertainty and approval of the reed plate.
void Studio::proof()
{
    open("reed-plate");
    m_window.showWorkspace(3);
    shoot("proof-empty");
    auto* page = m_window.proofPage();
    page->prove(false);
    QElapsedTimer t;
    t.start();
    while (page->proving() && t.elapsed() < 400000) QTest::qWait(100);
    page->matrix()->chooseNextShort();
    while (!page->settled() && t.elapsed() < 430000) QTest::qWait(100);
    QTest::qWait(300);
    shoot("proof");
    page->matrix()->choose(0, 0);
    while (!page->settled()) QTest::qWait(100);
    shoot("proof-first");
    m_window.showWorkspace(0);
}

const std::vector<Studio::Scene>& Studio::scenes()
{
    static const std::vector<Scene> all{
        {"empty", true, &Studio::empty},
        {"hints", false, &Studio::hints},
        {"setup", true, &Studio::setup},
        {"large", false, &Studio::large},
        {"objects", true, &Studio::objects},
        {"difference", true, &Studio::difference},
        {"draft", true, &Studio::draft},
        {"find", true, &Studio::find},
        {"fit", true, &Studio::fit},
        {"dark", true, &Studio::dark},
        {"small-plates", true, &Studio::smallPlates},
        {"tuning-ring", false, &Studio::tuningRing},
        {"list", true, &Studio::list},
        {"wide", false, &Studio::wide},
        {"doubts", true, &Studio::doubts},
        {"revisions", true, &Studio::revisions},
        {"tall", true, &Studio::tall},
        {"nested", false, &Studio::nested},
        {"calibrate", true, &Studio::calibrate},
        {"repeat", true, &Studio::repeat},
        {"rest", false, &Studio::rest},
        {"guide", false, &Studio::guide},
        {"outputs", false, &Studio::outputs},
        {"kinds", false, &Studio::kinds},
        {"run", true, &Studio::run},
        {"records", true, &Studio::records},
        {"records-more", false, &Studio::recordsMore},
        {"release", true, &Studio::released},
        {"run-items", false, &Studio::runItems},
        {"screen", false, &Studio::screen},
        {"camera", false, &Studio::camera},
        {"line", false, &Studio::line},
        {"locked", false, &Studio::locked},
        {"heights", false, &Studio::heights},
        {"drawings", false, &Studio::drawings},
        {"same", false, &Studio::same},
        {"tiles", false, &Studio::tiles},
        {"proof", false, &Studio::proof},
    };
    return all;
}

void Studio::hints()
{
    open("reed-plate");
    m_window.hints()->again();
    for (int i = 0; i < Hints::kCount; ++i) {
        shoot(("hint-" + std::to_string(i)).c_str());
        m_window.hints()->done(i);
    }
}

void Studio::large()
{
    m_window.resize(1900, 1000);
    open("reed-plate");
    look("pitch", 5);
    shoot("setup-large");
    m_window.resize(1280, 800);
}

void Studio::objects()
{
    open("reed-plate");
    look("slots", 2);
    page().evidence()->showObjects(true);
    waitFor([&] { return !page().evidence()->objects()->waiting(); });
    // Why the shortest slots are none any more.
    s.change(QStringLiteral("least size"), [](recipe::Recipe& r) {
        recipe::findKind("blobs")->param("least_area")->put(r.find("slots")->params, recipe::Value(11500.0));
    });
    done();
    waitFor([&] { return !page().evidence()->objects()->waiting(); });
    page().evidence()->objects()->howCome(sheet()->pictureOf(at(demo::kFirstSlot + 8 * demo::kSlotPitch, 0)));
    shoot("objects");
    s.undo();
    page().evidence()->showObjects(false);
}

void Studio::difference()
{
    open("reed-plate");
    look("slots", 6);
    sheet()->setSteady(true);
    sheet()->setDifference(true);
    look("slots", 8);
    shoot("difference");
    sheet()->setDifference(false), sheet()->setSteady(false);
}

// A stroke across the plate, its draft with the offers, the limits proposed for it.
void Studio::draft()
{
    open("reed-plate");
    look("pitch", 0);
    drag(sheet(), at(38, -16), at(38.3, 16), Qt::NoModifier, false);
    QTest::qWait(200);
    QTest::mouseRelease(sheet(), Qt::LeftButton, Qt::NoModifier, at(38.3, 16).toPoint());
    done();
    shoot("setup-draft");
    s.dropDraft();
}

void Studio::find()
{
    open("reed-plate");
    look("top", 3);
    FindDialog d(s, page(), m_window.findChildren<QAction*>(), &m_window);
    d.show();
    d.findChild<QLineEdit*>(QStringLiteral("findText"))->setText(QStringLiteral("set 1 0.01"));
    QTest::qWait(250);
    QImage whole = m_window.grab().toImage();
    QPainter over(&whole);
    over.drawImage(84, 52, d.grab().toImage());
    over.setPen(report::theme().rule);
    over.drawRect(QRect(QPoint(84, 52), d.size()));
    over.end();
    keep(QPixmap::fromImage(whole), QStringLiteral("find"));
}

void Studio::fit()
{
    open("reed-plate");
    look("slots", 3, "count");
    FitDialog d(s, "slots", "count", &m_window);
    auto* setting = d.findChild<QComboBox*>(QStringLiteral("fitSetting"));
    setting->setCurrentIndex(setting->findData(QStringLiteral("least_area")));
    d.show();
    waitFor([&] { return !d.running(); });
    shootDialog(d, "fit");
}

void Studio::run()
{
    release("reed-plate");
    m_window.showWorkspace(1);
    m_window.runPage()->start();
    waitFor([&] { return m_window.runPage()->itemCount() >= 12; });
    m_window.runPage()->stop();
    QTest::qWait(900);
    shoot("run");
    m_window.showWorkspace(0);
}

// Standing at the camera: too long exposed, then found by itself, with the light as a map.
void Studio::camera()
{
    open("reed-plate");
    s.change(QStringLiteral("exposure"), [](recipe::Recipe& r) { r.camera.exposure = 3000; });
    CameraDialog d(
        s,
        [](const station::Conveyor& c) {
            return std::make_unique<station::ConveyorSource>(c, [](const station::Passing& p) {
                return demo::passingPlate(demo::Field{}, p.seed, 0, false, p.light, p.smearMm);
            });
        },
        m_scratch.path() + QStringLiteral("/camera"), &m_window);
    d.show();
    fine = waitFor([&] { return d.frames() >= 3; }) && fine;
    shootDialog(d, "camera-clips");
    d.automatic();
    fine = waitFor([&] { return !d.exposing(); }) && fine;
    d.findChild<QCheckBox*>(QStringLiteral("evenness"))->setChecked(true);
    const auto frames = d.frames();
    waitFor([&] { return d.frames() >= frames + 3; });
    shootDialog(d, "camera");
    s.undo();
}

// What the engineer ticks for the operator.
void Studio::screen()
{
    open("reed-plate");
    ScreenDialog d(s, &m_window);
    auto* table = d.findChild<QTableWidget*>(QStringLiteral("screenValues"));
    for (const int row : {0, 2, 3}) table->item(row, 0)->setCheckState(Qt::Checked);
    d.show();
    shootDialog(d, "screen");
}

// Run as the operator sees it: good, rejected, not measured, an older one pinned, the camera lost, nothing saved.
void Studio::line()
{
    release("reed-plate");
    m_window.showWorkspace(1);
    auto* run = m_window.runPage();
    auto* band = m_window.findChild<VerdictBand*>(QStringLiteral("verdictBand"));
    const auto until = [&](auto wanted) {
        for (int i = 0; i < 60 && !wanted(); ++i) {
            const auto before = run->itemCount();
            run->takeOne();
            waitFor([&] { return run->itemCount() > before; }, 20000);
        }
        QTest::qWait(300);
    };
    for (int i = 0; i < 9; ++i) {
        const auto before = run->itemCount();
        run->takeOne();
        waitFor([&] { return run->itemCount() > before; }, 20000);
    }
    until([&] { return band->word() == QStringLiteral("ACCEPT"); });
    shoot("run-accept");
    until([&] { return band->word() == QStringLiteral("REJECT") && band->sentence().contains(QStringLiteral("mm")); });
    shoot("run-reject");
    until([&] { return band->word() == QStringLiteral("REJECT") && !band->sentence().contains(QStringLiteral("mm")); });
    shoot("run-not-measured");
    auto* strip = m_window.findChild<RejectStrip*>(QStringLiteral("lastRejects"));
    if (strip->count() > 2) emit strip->chosen(strip->numberAt(2));
    shoot("run-pinned");
    // What the line says when the world fails.
    auto* lamps = const_cast<Lamps*>(run->lamps());
    lamps->set(QStringLiteral("camera"), Lamps::State::Trouble, QStringLiteral("the camera is lost; it is looked for"));
    lamps->set(QStringLiteral("broker"), Lamps::State::Trouble,
               QStringLiteral("cannot reach 192.168.0.7:1883: no route to host"));
    shoot("run-trouble");
    lamps->set(QStringLiteral("camera"), Lamps::State::Well, QStringLiteral("simulated station"));
    lamps->drop(QStringLiteral("broker"));
    m_window.resize(1920, 1080);
    shoot("run-large");
    m_window.resize(1280, 800);
    m_window.showWorkspace(0);
}

void Studio::locked()
{
    if (m_window.runPage()->itemCount() == 0) line();
    auto& who = m_window.who();
    (void)who.change(QStringLiteral("person added"), QStringLiteral("A. Person"), [](people::People& p) {
        (void)p.add("A. Person", people::Role::Administrator, "1234");
        return p.add("B. Person", people::Role::Operator, "2345");
    });
    PeopleDialog people(who, &m_window);
    people.show();
    shootDialog(people, "people");
    people.close();
    who.signOut();
    shoot("run-locked");
    EventsDialog events(m_window.runPage()->logPath(), &m_window);
    events.show();
    shootDialog(events, "events");
    events.close();
    SignInDialog dialog(who, &m_window);
    dialog.show();
    shootDialog(dialog, "sign-in");
    dialog.close();
    (void)who.signIn(QStringLiteral("A. Person"), QStringLiteral("1234"));
    (void)who.change({}, {}, [](people::People& p) {
        (void)p.remove("B. Person");
        return p.remove("A. Person");
    });
}

// Four days of plates: three batches, revisions 3 to 5, a pitch that wanders and a limit that was moved.
void Studio::fillRecords()
{
    const QString path = m_window.runPage()->logPath();
    auto log = records::RecordLog::open(path);
    records::PictureStore store(base::realFiles(), (m_scratch.path() + QStringLiteral("/pictures")).toStdString());
    open("reed-plate");
    std::map<int, std::shared_ptr<const records::Release>> releases;
    for (int revision = 3; revision <= 5; ++revision) {
        recipe::Recipe r = s.recipe();
        r.revision = revision;
        for (auto& step : r.steps)
            for (auto& check : step.checks)
                if (check.name == "Hole pitch") check.limits.plus = check.limits.minus = revision == 5 ? 0.08 : 0.1;
        releases[revision] = *records::release(
            std::make_shared<const inspect::Prepared>(*inspect::Prepared::make(std::move(r))), "A. Person");
    }
    demo::Random random(11);
    struct Seen {
        std::shared_ptr<const inspect::PictureResult> result;
        records::EntryPicture picture;
    };
    int drawn = 0;
    const auto plate = [&](double pitch, demo::Fault fault, const records::Release& release) {
        demo::PlateTruth t;
        t.fault = fault;
        t.pitch = pitch, t.width = 26 + random.normal(0.012, 0.036);
        t.pose.origin = {1224 + random.normal(40, 120), 1024 + random.normal(40, 120)};
        t.pose.angle = random.normal(0.03, 0.09);
        demo::PlatePicture p = demo::drawPlate(demo::Field{}, t, random);
        Seen out;
        const std::string name = "plate-" + std::to_string(++drawn + 1100) + ".png";
        const image::Capture capture = image::makeCapture(std::move(p.picture), name);
        out.result = std::make_shared<const inspect::PictureResult>(inspect::evaluate(*release.prepared, capture));
        const auto kept = store.keep(capture.first());
        if (kept) out.picture = {"", kept->hash, kept->path, ""};
        return out;
    };
    std::vector<Seen> older;
    for (int i = 0; i < 24; ++i)
        older.push_back(plate(92 + random.normal(0.02, 0.06), i % 9 == 8 ? demo::Fault(1 + i % 7) : demo::Fault::None,
                              *releases[3]));
    const QDateTime now = QDateTime::currentDateTimeUtc();
    const auto entry = [&](const Seen& seen, int revision, const char* batch, const QDateTime& at) {
        records::Entry e;
        e.release = releases[revision], e.result = seen.result, e.batch = batch, e.station = "1";
        e.at = at.toString(Qt::ISODateWithMs).toStdString();
        e.pictures = {seen.picture};
        return e;
    };
    std::vector<records::Entry> all;
    const struct {
        const char* batch;
        int revision, items;
        double hoursAgo;
    } runs[] = {{"2210-C", 3, 420, 68}, {"2210-D", 4, 460, 44}, {"2211-A", 4, 200, 5.4}};
    for (const auto& run : runs)
        for (int i = 0; i < run.items; ++i) {
            // Rejects come in swarms.
            const bool swarm = i % 97 > 88 && run.revision == 4;
            const Seen& seen = older[std::size_t(swarm ? 8 + 9 * (i % 2) : random.uniform(0, 7.99))];
            all.push_back(entry(seen, run.revision, run.batch, now.addSecs(qint64(-3600 * run.hoursAgo) + 40 * i)));
        }
    for (int i = 0; i < 68; ++i) {
        double pitch = 92 + random.normal(0.022, 0.066);
        if (i >= 24 && i < 36) pitch = 92.03 + std::abs(random.normal(0.012, 0.036));
        if (i == 20) pitch = 92.13;
        if (i == 51) pitch = 91.9;
        const auto fault = i == 14 || i == 58  ? demo::Fault::Cut
                           : i == 7 || i == 47 ? demo::Fault::Burr
                           : i == 32           ? demo::Fault::ShortSlot
                           : i == 63           ? demo::Fault::MissingSlot
                                               : demo::Fault::None;
        const int revision = i < 43 ? 4 : 5;
        all.push_back(entry(plate(pitch, fault, *releases[revision]), revision, "2211-A", now.addSecs(-3000 + 40 * i)));
    }
    if (!log || !(*log)->append(all)) fine = false;
}

void Studio::records()
{
    RecordsPage& page = *m_window.recordsPage();
    RecordsModel& model = page.model();
    if (model.view().counts.items < 1000) fillRecords();
    m_window.showWorkspace(2);
    page.wait();
    // The last hour, brushed on the ribbon; the plate whose pitch is off.
    Sentence last;
    Sentence::Brush span;
    span.since = QDateTime::currentMSecsSinceEpoch() - 3010000, span.until = QDateTime::currentMSecsSinceEpoch();
    last.brushes = {span};
    model.say(last);
    page.wait();
    const auto& checks = model.view().columns->checks;
    for (std::size_t i = 0; i < checks.size(); ++i)
        if (checks[i].name == QLatin1String("Hole pitch")) model.chooseCheck(int(i));
    page.wait();
    model.chooseItem(20);
    page.wait();
    shoot("records");
    m_window.showWorkspace(0);
}

// The same inspected again, as a Pareto chart with two checks laid against each other, of rejects alone, of nobody, of
// all.
void Studio::recordsMore()
{
    records();
    m_window.showWorkspace(2);
    RecordsPage& page = *m_window.recordsPage();
    RecordsModel& model = page.model();
    Sentence last = model.sentence();
    const auto check = [&](const char* name) {
        const auto& all = model.view().columns->checks;
        for (std::size_t i = 0; i < all.size(); ++i)
            if (all[i].name == QLatin1String(name)) return int(i);
        return -1;
    };
    page.setAgain(true);
    page.wait();
    shoot("records-again");
    page.setAgain(false);
    model.chooseSecond(check("Width"));
    model.sortByFails(true);
    page.wait();
    shoot("records-pareto");
    model.chooseSecond(-1);
    model.sortByFails(false);
    last.words.verdict = records::ItemVerdict::Reject;
    model.say(last);
    page.wait();
    shoot("records-rejects");
    last.words.batch = QStringLiteral("2299-X");
    model.say(last);
    page.wait();
    shoot("records-none");
    RecordsSetupDialog setup({}, m_window.runPage()->logPath(), &m_window);
    setup.show();
    shootDialog(setup, "records-setup");
    setup.close();
    model.say({});
    page.wait();
    shoot("records-all");
    model.setChart(records::ChartKind::MeanAndRange, 5);
    m_window.resize(1920, 1080);
    page.wait();
    shoot("records-large");
    m_window.resize(1280, 800);
    model.setChart(records::ChartKind::Individuals, 5);
    page.wait();
    m_window.showWorkspace(0);
}

// What differs from what runs, before it is released.
void Studio::released()
{
    release("reed-plate");
    s.setLimits("width", "distance", *recipe::parseLimits("26 +-0.04", base::Unit::Millimetre), false);
    s.change(QStringLiteral("threshold"), [](recipe::Recipe& r) {
        recipe::findKind("blobs")->param("least_area")->put(r.find("slots")->params, recipe::Value(2500.0));
    });
    ReleaseDialog dialog(s, *m_window.runPage(), &m_window);
    dialog.findChild<QLineEdit*>(QStringLiteral("releaseBy"))->setText(QStringLiteral("A. Person"));
    dialog.show();
    QTest::qWait(600);
    shootDialog(dialog, "release");
}

void Studio::dark()
{
    auto* dark = m_window.findChild<QAction*>(QStringLiteral("dark"));
    open("reed-plate");
    dark->setChecked(true);
    m_window.resize(1920, 1080);
    look("width", 8);
    shoot("setup-dark");
    m_window.resize(1280, 800);
    dark->setChecked(false);
}

void Studio::smallPlates()
{
    open("small-plates");
    action("unfoldItems")->setChecked(true);
    look("width", 5);
    shoot("setup-small-plates");
    action("unfoldItems")->setChecked(false);
}

void Studio::tuningRing()
{
    open("tuning-ring");
    look("notch", 2);
    shoot("setup-tuning-ring");
}

void Studio::runItems()
{
    release("small-plates");
    m_window.showWorkspace(1);
    auto* source = m_window.findChild<QComboBox*>(QStringLiteral("source"));
    source->setCurrentIndex(1);
    emit source->activated(1);
    for (int i = 0; i < 6; ++i) {
        m_window.runPage()->takeOne();
        QTest::qWait(700);
    }
    shoot("run-items");
    m_window.showWorkspace(0);
}

// A list by place, opened into its elements; its limits in detail.
void Studio::list()
{
    open("carton-panel");
    look("dots", 2);
    page().grid()->setFocus();
    QTest::keyClick(page().grid(), Qt::Key_U);
    shoot("setup-list");
    CheckDialog limits(s, "dots", "areas", &m_window);
    limits.show();
    QTest::qWait(100);
    QTest::keyClick(page().grid(), Qt::Key_U);
}

// Columns so wide that each carries its figures and its worst place.
void Studio::wide()
{
    for (const char* set : {"reed-plate", "carton-panel"}) {
        open(set);
        look(s.recipe().steps.back().id.c_str(), 5);
        const auto turn = [&](int way) {
            QWidget* grid = page().grid()->viewport();
            QWheelEvent wheel({600, 60}, grid->mapToGlobal(QPointF(600, 60)), {}, {0, way}, Qt::NoButton,
                              Qt::ControlModifier, Qt::NoScrollPhase, false);
            QApplication::sendEvent(grid, &wheel);
        };
        turn(120);
        QTest::qWait(1500);
        shoot((std::string("wide-") + set).c_str());
        turn(-120);
    }
}

// What a careful colleague would ask about a recipe that is not done: a limit in px, a value nobody judges, a label
// that disagrees.
void Studio::doubts()
{
    open("carton-panel");
    s.change(QStringLiteral("doubts"), [](recipe::Recipe& r) {
        recipe::Check& first = r.steps[1].checks.empty() ? r.steps[2].checks.at(0) : r.steps[1].checks[0];
        first.limits.unit = base::Unit::Pixel;
        for (recipe::Step& step : r.steps)
            if (step.checks.size() == 1 && step.checks[0].output != first.output) {
                step.checks[0].limits = {};
                break;
            }
        r.trials[3].label = recipe::Label::Good, r.trials[4].label = recipe::Label::Bad;
    });
    done();
    m_window.findChild<QAction*>(QStringLiteral("review"))->trigger();
    auto* review = m_window.findChild<QDialog*>(QStringLiteral("reviewDialog"));
    shootDialog(*review, "review");
    review->hide();
    s.undo();
}

// Three revisions and what the newest does to the trials.
void Studio::revisions()
{
    open("reed-plate");
    setPerson(QStringLiteral("E. Sand"));
    const QString kept = m_scratch.filePath(QStringLiteral("reed-plate.dikkat"));
    const auto save = [&](const char* why) { fine = s.saveTo(kept, QString::fromLatin1(why)).has_value() && fine; };
    save("");
    s.setLimits("width", "distance", *recipe::parseLimits("26 +-0.03", base::Unit::Millimetre), false);
    save("the new fixture is narrower");
    s.setLimits("pitch", "distance", *recipe::parseLimits("92 +-0.03", base::Unit::Millimetre), false);
    s.change(QStringLiteral("least area"), [](recipe::Recipe& r) {
        recipe::findKind("blobs")->param("least_area")->put(r.find("slots")->params, recipe::Value(2500.0));
    });
    setPerson(QStringLiteral("M. Ott"));
    save("");
    done();
    RevisionsDialog d(s, &m_window);
    d.show();
    auto* table = d.findChild<QTableWidget*>(QStringLiteral("revisions"));
    table->setCurrentCell(table->rowCount() - 1, 0);
    d.findChild<QPushButton*>(QStringLiteral("compareRun"))->click();
    waitFor([&] { return d.findChild<QTableWidget*>(QStringLiteral("compareTrials"))->rowCount() > 0; });
    shootDialog(d, "revisions");
}

// Beside a picture that is higher than wide.
void Studio::tall()
{
    open("reed-plate");
    look("pitch", 5);
    action("otherArrangement")->trigger();
    done();
    sheet()->quarterTurn();
    shoot("setup-tall");
    for (int i = 0; i < 3; ++i) sheet()->quarterTurn();
    action("otherArrangement")->trigger();
}

// A datum in a datum.
void Studio::nested()
{
    open("reed-plate");
    s.change(QStringLiteral("nested"), [](recipe::Recipe& r) {
        recipe::Step in = recipe::makeStep(r, *recipe::findKind("two_holes"));
        in.name = "Both holes", in.datum = "plate";
        in.inputs = {{"first", "hole_left"}, {"second", "hole_right"}};
        r.steps.push_back(in);
        recipe::Step w = *r.find("width");
        w.id = r.freshId(), w.name = "Width again", w.datum = in.id;
        w.checks[0].balloon = r.freshBalloon(), w.checks[0].name = w.name;
        r.steps.push_back(w);
    });
    look("pitch", 5);
    shoot("setup-nested");
}

void Studio::calibrate()
{
    open("tilted-plate");
    s.select("width");
    CalibrateDialog d(s, &m_window);
    d.resize(1280, 800);
    d.show();
    QStringList boards;
    for (int i = 1; i <= 8; ++i) boards << m_demo + QStringLiteral("/tilted-plate/board-0%1.png").arg(i);
    d.addTargets(boards);
    d.findChild<QDoubleSpinBox*>(QStringLiteral("targetPitch"))->setValue(8.5);
    d.find();
    auto* table = d.findChild<QTableWidget*>(QStringLiteral("targetTable"));
    waitFor([&] { return table->item(0, 2)->text().contains(QStringLiteral("px")); });
    shootDialog(d, "calibrate");
}

void Studio::repeat()
{
    open("tilted-plate");
    RepeatDialog d(s, &m_window);
    d.show();
    d.findChild<QSpinBox*>(QStringLiteral("repeatCopies"))->setValue(10);
    d.measure();
    auto* table = d.findChild<QTableWidget*>(QStringLiteral("repeatTable"));
    waitFor([&] { return table->rowCount() > 3 && table->item(1, 3); });
    shootDialog(d, "repeatability");
}

void Studio::rest()
{
    open("tilted-plate");
    RecipeDialog settings(s, &m_window);
    settings.show();
    shootDialog(settings, "recipe-settings");
    settings.hide();
    ProposalsDialog proposals(s, &m_window);
    proposals.show();
    shootDialog(proposals, "proposals");
    proposals.hide();
    CalibrateDialog calibrate(s, &m_window);
    calibrate.show();
    for (int tab : {0, 2}) {
        calibrate.findChild<QTabWidget*>()->setCurrentIndex(tab);
        shootDialog(calibrate, tab ? "calibrate-check" : "calibrate-length");
    }
    calibrate.hide();
    s.change(QStringLiteral("inch"), [](recipe::Recipe& r) {
        r.shownIn = base::Unit::Inch, r.guardBand = true, r.find("width")->checks[0].uncertainty = 0.02;
    });
    look("width", 5);
    shoot("setup-inch");
    s.recalibrate(geometry::Calibration(), false);
    done();
    shoot("setup-foreign");
}

void Studio::guide()
{
    GuideWindow pages(&m_window);
    pages.showPage(QStringLiteral("prove.md"));
    shootDialog(pages, "guide");
    pages.hide();
    QTimer::singleShot(400, &m_window, [this] {
        auto* help = qobject_cast<QDialog*>(QApplication::activeModalWidget());
        if (!help) return;
        shootDialog(*help, "help");
        help->reject();
    });
    showHelp(*recipe::findKind("edge_pair"), &m_window);
    open("small-plates");
    look("width", 5);
    page().grid()->setFocus();
    shoot("small-folded");
}

// A Modbus table with what stands there, and a text with what would be sent.
void Studio::outputs()
{
    open("reed-plate");
    s.change(QStringLiteral("outputs"), [](recipe::Recipe& r) {
        recipe::Outlet table, text;
        table.kind = recipe::Outlet::Kind::Registers, table.name = "Cell controller", table.registers.handshake = true;
        text.name = "Printer", text.text.pattern = "{number} {verdict} {Width:.3f} {Hole pitch:.3f|none}\\r\\n";
        r.outlets = {table, text};
    });
    look("width", 5);
    OutputsDialog d(s, &m_window);
    d.show();
    shootDialog(d, "outputs-modbus");
    d.findChild<QListWidget*>(QStringLiteral("outputs"))->setCurrentRow(1);
    shootDialog(d, "outputs-text");
    s.undo();
}

void Studio::act(const gestures::Hand& hand)
{
    using Way = gestures::Hand::Way;
    std::vector<QPointF> way;
    for (const Point p : hand.path) way.push_back(at(p.x, p.y));
    if (hand.way == Way::Click) return QTest::mouseClick(sheet(), Qt::LeftButton, Qt::NoModifier, way[0].toPoint());
    const auto keys = hand.way == Way::Area ? Qt::ControlModifier : Qt::NoModifier;
    QTest::mousePress(sheet(), Qt::LeftButton, keys, way[0].toPoint());
    for (std::size_t i = 1; i < way.size(); ++i)
        for (int n = 1; n <= 8; ++n) {
            const QPointF now = way[i - 1] + (way[i] - way[i - 1]) * n / 8.0;
            QMouseEvent move(QEvent::MouseMove, now, sheet()->mapToGlobal(now), Qt::NoButton, Qt::LeftButton, keys);
            QApplication::sendEvent(sheet(), &move);
        }
    QTest::mouseRelease(sheet(), Qt::LeftButton, keys, way.back().toPoint());
}

// The part of the sheet where a kind was just made by its gesture, for the guide.
void Studio::kindPicture(const gestures::Making& m, const char* set)
{
    const bool heights = std::string(set) == "reed-gap", drawn = std::string(set) == "drawn-plate";
    open(set);
    m_shift = heights ? Point{50, 13} : Point{};
    s.setShowReference(true);
    if (drawn)
        s.change(QStringLiteral("alone"), [&](recipe::Recipe& r) {
            r.steps.erase(r.steps.begin() + (std::string(m.kind) == "drawing_datum" ? 0 : 1), r.steps.end());
        });
    if (heights) s.select({}), s.viewPicture("z");
    done();
    if (!heights && !drawn)
        for (const gestures::Hand& end : {gestures::stroke({-50, -9}, {-50, 4})}) { // a second edge, for what needs two
            sheet()->setArmedKind("line");
            act(end);
            if (s.draft()) s.takeDraft();
            done();
        }
    sheet()->setArmedKind(m.kind);
    act(m.hand);
    if (!s.draft()) {
        std::cerr << m.kind << ": the gesture makes nothing\n";
        fine = false;
        return;
    }
    // Only what the kind reads stays beside it; the draft is taken, so that its handles and offers are gone.
    const std::string made = s.draft()->offer().step.id;
    s.takeDraft();
    done();
    s.dropProposal();
    s.change(QStringLiteral("alone"), [&](recipe::Recipe& r) {
        for (recipe::Step& one : r.steps)
            if (one.id != made)
                for (recipe::Check& c : one.checks) c.balloon = 0, c.labelAt.reset();
        std::erase_if(r.steps, [&](const recipe::Step& one) {
            const auto reads = recipe::Recipe::reads(*r.find(made));
            return one.id != made && one.id != "plate" && !(drawn && one.id == "s1") &&
                   !(heights && (one.id == "top" || one.id == "left")) &&
                   std::find(reads.begin(), reads.end(), one.id) == reads.end();
        });
        for (recipe::Step& one : r.steps)
            if (one.id != made) one.checks.clear();
    });
    done();
    s.select(made);
    // The middle of the gesture, so large that it fills the picture; what stands below is cut off.
    constexpr double wide = 420, high = 260;
    const QSize usual = sheet()->size();
    sheet()->resize(int(wide), int(high) + 72);
    const double k = 1 / s.recipe().mmPerPixel();
    Point low{1e9, 1e9}, top{-1e9, -1e9};
    for (const Point p : m.hand.path)
        low = {std::min(low.x, p.x), std::min(low.y, p.y)}, top = {std::max(top.x, p.x), std::max(top.y, p.y)};
    const double zoom =
        std::clamp(std::min(wide / ((top.x - low.x) * k + 60), high / ((top.y - low.y) * k + 60)) * 0.7, 0.15,
                   m.hand.way != gestures::Hand::Way::Click ? 1.6
                   : s.recipe().find(made)->regions.empty() ? 0.6
                                                            : 1.2);
    Point middle = (low + top) * (0.5 * k) + m_shift * k;
    if (const auto motion = inspect::Placing(s.prepared()->recipe(), s.currentItem()).following("plate"))
        middle = motion->motion().now.toPicture(middle);
    else middle = middle + Point{s.shownPicture().pixels.width() / 2.0, s.shownPicture().pixels.height() / 2.0};
    sheet()->lookAt(middle + Point{0, 36 / zoom}, zoom);
    QTest::qWait(120);
    QImage seen = sheet()->grab().toImage();
    paintHand(seen, m.hand);
    const QString path = m_out + QLatin1Char('/') + QLatin1String(m.kind) + QStringLiteral(".jpg");
    fine = seen.copy(0, 0, int(wide), int(high)).save(path, "JPG", 82) && fine;
    sheet()->resize(usual);
    sheet()->fitPicture();
    m_shift = {};
}

// The way of the hand: where it presses, how it goes, where it lets go.
void Studio::paintHand(QImage& seen, const gestures::Hand& hand)
{
    QPainter p(&seen);
    p.setRenderHint(QPainter::Antialiasing);
    QPolygonF way;
    for (const Point q : hand.path) way << at(q.x, q.y);
    const auto both = [&](auto draw) {
        const QColor paper("#FBFAF6"), hue("#B4480F");
        for (const auto& [colour, width] : {std::pair{paper, 6.0}, {hue, 3.0}}) {
            p.setPen(QPen(colour, width, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
            draw();
        }
    };
    p.setBrush(Qt::NoBrush);
    if (hand.way == gestures::Hand::Way::Area) {
        both([&] { p.drawRect(way.boundingRect()); });
    } else if (way.size() > 1) {
        const QLineF last(way.back(), way[way.size() - 2]);
        QLineF a = last, b = last;
        a.setLength(13), b.setLength(13);
        a.setAngle(last.angle() + 24), b.setAngle(last.angle() - 24);
        both([&] {
            p.drawPolyline(way);
            p.drawPolyline(QPolygonF({a.p2(), way.back(), b.p2()}));
        });
    }
    both([&] { p.drawEllipse(way.front(), 7, 7); });
}
} // namespace

int main(int argc, char** argv)
{
    QTemporaryDir place;
    qputenv("XDG_DATA_HOME", place.path().toUtf8());
    qputenv("XDG_CONFIG_HOME", place.path().toUtf8());
    QApplication application(argc, argv);
    QApplication::setApplicationName(QStringLiteral("dikkat"));
    if (argc < 3) {
        std::cerr << "usage: shots DEMO_FOLDER OUTPUT_FOLDER [SCENE…]\n";
        return 2;
    }
    report::loadFonts();
    applyTheme(application);
    Studio studio(QString::fromLocal8Bit(argv[1]), QString::fromLocal8Bit(argv[2]));
    QStringList wanted;
    for (int i = 3; i < argc; ++i) wanted << QString::fromLocal8Bit(argv[i]);
    for (const Studio::Scene& scene : Studio::scenes())
        if (wanted.isEmpty() ? scene.kept : wanted.contains(QLatin1String(scene.name)) || wanted == QStringList{"all"})
            (studio.*scene.make)();
    return studio.fine ? 0 : 1;
}
