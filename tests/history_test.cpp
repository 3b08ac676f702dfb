// What a recipe was each time it was saved, pictures that go along with it, and what a change does to pictures.
#include "base/text.h"
#include "base/zip.h"
#include "demo/small_sets.h"
#include "inspect/comparing.h"
#include "recipe/differences.h"
#include "recipe/history.h"
#include "support.h"

#include <filesystem>
#include <fstream>

using namespace support;
using namespace recipe;
namespace fs = std::filesystem;

namespace
{
// Everything works until the n-th operation, which fails.
class FailsAt : public base::FileSystem
{
public:
    explicit FailsAt(int at) : m_at(at) {}
    base::Result<std::string> read(const std::string& p) override { return base::realFiles().read(p); }
    base::Status write(const std::string& p, const std::string& b) override
    {
        return fails() ? broken(p) : base::realFiles().write(p, b);
    }
    base::Status sync(const std::string& p) override { return fails() ? broken(p) : base::realFiles().sync(p); }
    base::Status rename(const std::string& a, const std::string& b) override
    {
        return fails() ? broken(b) : base::realFiles().rename(a, b);
    }
    base::Status remove(const std::string& p) override { return base::realFiles().remove(p); }
    base::Result<Target> target(const std::string& p) override { return base::realFiles().target(p); }
    base::Result<std::string> beside(const std::string& p) override
    {
        if (fails()) return base::passOn(broken(p).error());
        return base::realFiles().beside(p);
    }
    bool reached() const { return m_count > m_at; }

private:
    bool fails() { return m_count++ == m_at; }
    static base::Status broken(const std::string& p) { return base::fail(base::ErrorCode::Io, "broken on purpose", p); }
    int m_at, m_count = 0;
};
std::string bytesOf(const fs::path& p)
{
    std::ifstream in(p, std::ios::binary);
    return {std::istreambuf_iterator<char>(in), {}};
}
Recipe demoIn(const QTemporaryDir& dir, int trials = 3)
{
    auto r = load(writeDemo(dir, trials));
    if (!r) qFatal("%s", r.error().text().c_str());
    return std::move(*r);
}
Check& checkOf(Recipe& r, const std::string& name)
{
    for (Step& s : r.steps)
        for (Check& c : s.checks)
            if (c.name == name) return c;
    qFatal("no check %s", name.c_str());
}
bool says(const std::vector<std::string>& all, const std::string& part)
{
    return std::any_of(all.begin(), all.end(), [&](const auto& s) { return s.find(part) != std::string::npos; });
}
} // namespace

class HistoryTest : public QObject
{
    Q_OBJECT
private slots:
    void everySaveIsARevisionThatCanBeReadAgain_data()
    {
        QTest::addColumn<QString>("place");
        QTest::newRow("packed") << "kept.dikkat";
        QTest::newRow("folder") << "kept";
        QTest::newRow("plain") << "kept.json";
    }
    void everySaveIsARevisionThatCanBeReadAgain()
    {
        QFETCH(QString, place);
        QTemporaryDir dir, other;
        Recipe r = demoIn(dir);
        const std::string path = other.filePath(place).toStdString();
        if (place == "kept") fs::create_directory(path);
        std::vector<std::string> identities;
        const auto keep = [&](const char* by, const char* why) {
            const bool kept = keepRevision(r, by, why, "2026-03-02T08:00:00.000Z");
            identities.push_back(identity(r));
            QVERIFY(kept);
            if (auto ok = save(r, path); !ok) QFAIL(ok.error().text().c_str());
            auto back = load(path);
            if (!back) QFAIL(back.error().text().c_str());
            QCOMPARE(identity(*back), identity(r)); // its history is no part of what it does
            r = std::move(*back);
            ++r.revision;
        };
        keep("E. Sand", "");
        checkOf(r, "Width").limits = *parseLimits("26 +-0.2", base::Unit::Millimetre);
        r.trials[1].label = Label::Bad;
        keep("E. Sand", "customer allows more");
        // Another reference: the one before stays with its revision.
        auto asset = makeAsset("other.png", bytesOf(r.trials[2].picture), "other");
        QVERIFY(asset.has_value());
        const auto oldReference = base::sha256(*r.reference.files.front().bytes);
        r.reference = *asset;
        r.steps.back().name = "Renamed";
        keep("M. Ott", "new reference");
        QCOMPARE(r.history.size(), std::size_t(3));
        QVERIFY(r.history[0]->changes.empty());
        QVERIFY(says(r.history[1]->changes, "\"Width\": limits 26 ±0.2"));
        QVERIFY(says(r.history[1]->changes, "1 trial labelled anew"));
        QVERIFY(says(r.history[2]->changes, "another reference"));
        QVERIFY(says(r.history[2]->changes, "Renamed"));
        QCOMPARE(r.history[1]->by, std::string("E. Sand"));
        QCOMPARE(r.history[2]->why, std::string("new reference"));
        for (std::size_t i = 0; i < 3; ++i) {
            const auto was = recipeOf(*r.history[i]);
            if (!was) QFAIL(was.error().text().c_str());
            QCOMPARE(identity(*was), identities[i]);
            QCOMPARE(was->trials.size(), r.trials.size());
        }
        QCOMPARE(base::sha256(*recipeOf(*r.history[0])->reference.files.front().bytes), oldReference);
        QCOMPARE(revisionNumber(r, 2), r.history[1].get());
        QVERIFY(!revisionNumber(r, 9));
        // Nothing changed: nothing is kept.
        --r.revision;
        QVERIFY(!keepRevision(r, "E. Sand", "", "2026-03-02T09:00:00.000Z"));
        QCOMPARE(r.history.size(), std::size_t(3));
    }
    void onlyTheNewestAreKept()
    {
        Recipe r;
        for (int i = 1; i <= int(kMostRevisions) + 5; ++i) {
            r.revision = i, r.name = "n" + std::to_string(i);
            keepRevision(r, "", "", "t");
        }
        QCOMPARE(r.history.size(), kMostRevisions);
        QCOMPARE(r.history.front()->number, 6);
    }
    void recordsKeepNoHistory()
    {
        QTemporaryDir dir;
        Recipe r = demoIn(dir, 1);
        const std::string before = *packed(r, "");
        keepRevision(r, "E. Sand", "", "t");
        QCOMPARE(*packed(r, ""), before);
    }
    void aDamagedHistoryIsNamed()
    {
        QTemporaryDir dir, other;
        Recipe r = demoIn(dir, 1);
        keepRevision(r, "E. Sand", "", "t");
        const fs::path path = other.filePath("x").toStdString();
        fs::create_directory(path);
        QVERIFY(save(r, path.string()).has_value());
        const std::string good = bytesOf(path / "history.json");
        const auto with = [&](const std::string& text) {
            std::ofstream(path / "history.json", std::ios::binary) << text;
            const auto loaded = load(path.string());
            return loaded ? std::string() : loaded.error().text();
        };
        QCOMPARE(with(good), std::string());
        QVERIFY(with("{").find("history.json") != std::string::npos);
        QVERIFY(with("[]").find("history.json") != std::string::npos);
        QVERIFY(with(R"({"format":"dikkat-history","version":2,"revisions":[]})").find("version") != std::string::npos);
        QVERIFY(with(R"({"format":"dikkat-history","version":1,"revisions":[{"number":1,"at":"t",
            "recipe":"../../secret.json"}]})")
                    .find("must lie in history/") != std::string::npos);
        QVERIFY(with(R"({"format":"dikkat-history","version":1,"revisions":[{"number":1,"at":"t",
            "recipe":"history/7.json"}]})")
                    .find("7.json") != std::string::npos);
        QVERIFY(with(R"({"format":"dikkat-history","version":1,"revisions":[{"number":1,"at":"t",
            "recipe":"history/1.json","wyh":"x"}]})")
                    .find("wyh") != std::string::npos);
    }
    void picturesGoAlongInsideTheFile()
    {
        QTemporaryDir dir, desk, line;
        Recipe r = demoIn(dir);
        // Two trials of the same name in two folders.
        fs::create_directory(dir.filePath("again").toStdString());
        const fs::path twin = fs::path(dir.filePath("again").toStdString()) / fs::path(r.trials[0].picture).filename();
        fs::copy_file(r.trials[1].picture, twin);
        r.trials.push_back({twin.string(), Label::Bad});
        r.trials.push_back({dir.filePath("gone.png").toStdString(), Label::Open});
        const Carried size = carried(r);
        QCOMPARE(size.pictures, 4);
        QCOMPARE(size.missing, 1);
        std::vector<std::string> content;
        std::uint64_t bytes = 0;
        for (int i = 0; i < 4; ++i)
            content.push_back(bytesOf(r.trials[std::size_t(i)].picture)), bytes += content.back().size();
        QCOMPARE(size.bytes, bytes);
        r.trialsInside = true;
        keepRevision(r, "E. Sand", "", "t");
        const std::string path = desk.filePath("plate.dikkat").toStdString();
        QVERIFY(save(r, path).has_value());
        // Carried to another place, the folder of the pictures gone.
        const std::string moved = line.filePath("moved.dikkat").toStdString();
        fs::rename(path, moved);
        fs::remove_all(dir.path().toStdString());
        auto back = load(moved);
        if (!back) QFAIL(back.error().text().c_str());
        QCOMPARE(identity(*back), identity(r));
        QVERIFY(back->trialsInside);
        QCOMPARE(back->trials.size(), std::size_t(5));
        for (int i = 0; i < 4; ++i) {
            const std::string& picture = back->trials[std::size_t(i)].picture;
            QVERIFY2(picture.find("moved.dikkat/trials/") != std::string::npos, picture.c_str());
            const auto read = base::readFile(picture);
            if (!read) QFAIL(read.error().text().c_str());
            QCOMPARE(base::sha256(*read), base::sha256(content[std::size_t(i)]));
            QVERIFY(!base::stampOf(picture).empty());
            QVERIFY(image::loadCapture(picture).has_value());
        }
        QCOMPARE(carried(*back).bytes, bytes);
        QVERIFY(!base::readFile(back->trials[4].picture).has_value()); // what was not there is not there now
        QVERIFY(!base::readFile(moved + "/trials/none.png").has_value());
        QVERIFY(base::stampOf(moved + "/trials/none.png").empty());
        // Saved over itself, by another name, as a folder: still all there.
        QVERIFY(save(*back, moved).has_value());
        const std::string copy = line.filePath("copy.dikkat").toStdString(), folder = line.filePath("f").toStdString();
        QVERIFY(save(*back, copy).has_value());
        fs::create_directory(folder);
        QVERIFY(save(*back, folder).has_value());
        for (const std::string& p : {moved, copy, folder}) {
            const auto again = load(p);
            if (!again) QFAIL(again.error().text().c_str());
            for (int i = 0; i < 4; ++i)
                QCOMPARE(base::sha256(*base::readFile(again->trials[std::size_t(i)].picture)),
                         base::sha256(content[std::size_t(i)]));
        }
        // No longer asked for: those whose only copy it is stay inside.
        back->trialsInside = false;
        QVERIFY(save(*back, moved).has_value());
        const auto stays = load(moved);
        QCOMPARE(base::sha256(*base::readFile(stays->trials[3].picture)), base::sha256(content[3]));
        // Kept for recovery without them: a picture is found where it is.
        const std::string spare = line.filePath("spare.dikkat").toStdString();
        QVERIFY(save(*stays, spare, base::realFiles(), false).has_value());
        QVERIFY(fs::file_size(spare) < bytes);
        QCOMPARE(load(spare)->trials[0].picture, stays->trials[0].picture);
    }
    void theTrialsOfEveryVariantGoAlong()
    {
        QTemporaryDir dir, desk;
        Recipe r = demoIn(dir);
        Recipe other = r;
        other.variant = "wide";
        fs::create_directory(dir.filePath("wide").toStdString());
        const fs::path own = fs::path(dir.filePath("wide").toStdString()) / "own.png";
        fs::copy_file(r.trials[1].picture, own);
        other.trials = {{own.string(), Label::Bad}};
        const std::string content = bytesOf(own.string());
        r.variant = "plain";
        r.variants = {std::make_shared<Recipe>(other)};
        r.trialsInside = true;
        const std::string path = desk.filePath("both.dikkat").toStdString();
        QVERIFY(save(r, path).has_value());
        fs::remove_all(dir.path().toStdString());
        for (int turn = 0; turn < 2; ++turn) { // as saved, and saved over itself
            const auto back = load(path);
            if (!back) QFAIL(back.error().text().c_str());
            QCOMPARE(back->variants.size(), std::size_t(1));
            QCOMPARE(back->variants[0]->trials.size(), std::size_t(1));
            const auto read = base::readFile(back->variants[0]->trials[0].picture);
            if (!read) QFAIL(read.error().text().c_str());
            QCOMPARE(base::sha256(*read), base::sha256(content));
            QVERIFY(save(*back, path).has_value());
        }
    }
    void capturesOfSeveralPicturesGoAlongWhole()
    {
        QTemporaryDir dir, desk;
        Recipe r = demoIn(dir);
        r.reference = {};
        r.steps.clear();
        r.pictures = {{"light", "{id}-light.png", {}}, {"dark", "{id}-dark.png", {}}};
        const std::string source = r.trials[0].picture;
        r.trials.clear();
        for (const char* id : {"a", "b"}) {
            for (const char* key : {"light", "dark"})
                fs::copy_file(source, dir.filePath(QStringLiteral("%1-%2.png").arg(id, key)).toStdString());
            r.trials.push_back({dir.filePath(QStringLiteral("%1-light.png").arg(id)).toStdString(), Label::Good});
        }
        r.trialsInside = true;
        QCOMPARE(carried(r).bytes, 4 * fs::file_size(source));
        const std::string path = desk.filePath("two.dikkat").toStdString();
        QVERIFY(save(r, path).has_value());
        fs::remove_all(dir.path().toStdString());
        const auto back = load(path);
        QVERIFY(back.has_value());
        for (const Trial& t : back->trials) {
            const auto capture = image::loadCapture(t.picture, back->pictures);
            if (!capture) QFAIL(capture.error().text().c_str());
            QCOMPARE(capture->pictures().size(), std::size_t(2));
        }
    }
    void aFaultLeavesTheFileAsItWas()
    {
        QTemporaryDir dir, desk;
        Recipe r = demoIn(dir, 2);
        r.trialsInside = true;
        keepRevision(r, "E. Sand", "", "t");
        const std::string path = desk.filePath("plate.dikkat").toStdString();
        QVERIFY(save(r, path).has_value());
        const std::string whole = bytesOf(path);
        r.name = "Other", ++r.revision;
        keepRevision(r, "E. Sand", "", "t");
        int faults = 0;
        for (;; ++faults) {
            FailsAt files(faults);
            const auto ok = save(r, path, files);
            if (!files.reached()) break;
            const bool put = load(path)->name == "Other";
            if (!put) QCOMPARE(bytesOf(path), whole);
            QVERIFY(!ok.has_value());
            QCOMPARE(std::distance(fs::directory_iterator(desk.path().toStdString()), fs::directory_iterator{}), 1);
            if (put) QVERIFY(faults >= 3); // only the folder's sync came after
        }
        QVERIFY(faults >= 3);
        QCOMPARE(load(path)->name, std::string("Other"));
        // A picture that vanishes on the way is named, the file stays.
        const std::string before = bytesOf(path);
        std::vector<base::Member> members{{"a.json", std::make_shared<const std::string>("{}")},
                                          {"b.png", nullptr, dir.filePath("no.png").toStdString()}};
        const auto missing = base::writeZipFile(base::realFiles(), path, members);
        QVERIFY(!missing.has_value() && missing.error().text().find("no.png") != std::string::npos);
        QCOMPARE(bytesOf(path), before);
    }
    void packingSaysHowFarItIsAndCanBeStopped()
    {
        QTemporaryDir dir, desk;
        Recipe r = demoIn(dir, 4);
        r.trialsInside = true;
        const std::string path = desk.filePath("plate.dikkat").toStdString();
        base::Watch watch;
        QVERIFY(save(r, path, base::realFiles(), true, &watch).has_value());
        QCOMPARE(double(watch.share), 1.0);
        const std::string whole = bytesOf(path);
        r.name = "Other";
        watch.cancel = true;
        const auto stopped = save(r, path, base::realFiles(), true, &watch);
        QVERIFY(!stopped.has_value());
        QCOMPARE(int(stopped.error().code), int(base::ErrorCode::Cancelled));
        QCOMPARE(bytesOf(path), whole);
        QCOMPARE(std::distance(fs::directory_iterator(desk.path().toStdString()), fs::directory_iterator{}), 1);
    }
    void picturesSetAsideStayAside()
    {
        QTemporaryDir dir, desk;
        Recipe r = demoIn(dir, 1);
        r.setAside = {dir.filePath("target-1.png").toStdString()};
        const std::string path = dir.filePath("a.dikkat").toStdString();
        const std::string plain = identity(demoIn(desk, 1));
        QCOMPARE(identity(r), plain);
        QVERIFY(save(r, path).has_value());
        QCOMPARE(load(path)->setAside, r.setAside);
        fs::rename(dir.path().toStdString(), desk.filePath("moved").toStdString());
        QCOMPARE(load(desk.filePath("moved/a.dikkat").toStdString())->setAside.front(),
                 desk.filePath("moved/target-1.png").toStdString());
    }
    void aChangeIsToldByWhatItDoesToPictures()
    {
        QTemporaryDir dir;
        const Recipe before = demoIn(dir, 6);
        std::vector<std::string> pictures;
        for (const Trial& t : before.trials) pictures.push_back(t.picture);
        for (const auto& c : inspect::compareOn(pictures, before, before)) QVERIFY(c.same() && !c.error);
        Recipe now = before;
        checkOf(now, "Width").limits = *parseLimits(">= 30", base::Unit::Millimetre);
        pictures.push_back(dir.filePath("none.png").toStdString());
        std::atomic<int> done = 0;
        const auto changes = inspect::compareOn(pictures, before, now, &done, nullptr, 2);
        QCOMPARE(changes.size(), std::size_t(7));
        QCOMPARE(done.load(), 7);
        QVERIFY(changes.back().error.has_value());
        // Independent of it: each recipe on each picture.
        const auto one = inspect::Prepared::make(before), other = inspect::Prepared::make(now);
        int turned = 0;
        for (int i = 0; i < 6; ++i) {
            const auto capture = image::loadCapture(pictures[std::size_t(i)]);
            const auto was = inspect::evaluate(*one, *capture), is = inspect::evaluate(*other, *capture);
            const auto& c = changes[std::size_t(i)];
            QCOMPARE(c.before, was.outcome());
            QCOMPARE(c.now, is.outcome());
            turned += c.verdictChanged();
            QVERIFY(is.rejected());
            const auto wide =
                std::find_if(c.checks.begin(), c.checks.end(), [](const auto& k) { return k.name == "Width"; });
            QVERIFY(wide != c.checks.end());
            QCOMPARE(wide->now, inspect::Verdict::Fail);
            QVERIFY(inspect::words(*wide).find("Width: fail 2") == 0);
        }
        QVERIFY(turned > 0);
        // Stopped at once: nothing half.
        std::atomic<bool> stop = true;
        QVERIFY(inspect::compareOn(pictures, before, now, nullptr, &stop).empty());
    }
    void itemsAreMatchedByPlace()
    {
        QTemporaryDir dir;
        QVERIFY(demo::writeSmallPlates(dir.path().toStdString(), 1, 6, {}).has_value());
        const auto before = load(dir.filePath("small-plates.dikkat").toStdString());
        if (!before) QFAIL(before.error().text().c_str());
        std::vector<std::string> pictures;
        for (const Trial& t : before->trials) pictures.push_back(t.picture);
        // Only the right half is searched: what is left keeps its verdicts, though its numbers are others.
        Recipe now = *before;
        const double w = now.reference.capture->width(), h = now.reference.capture->rows();
        const auto prepared = inspect::Prepared::make(now);
        Step& datum = now.steps[std::size_t(prepared->itemDatum())];
        datum.regions["search"] = geometry::Region::rectangle({0.75 * w, 0.5 * h}, 0.5 * w, h);
        bool fewer = false, renumbered = false;
        for (const auto& c : inspect::compareOn(pictures, *before, now)) {
            fewer = fewer || (c.itemsNow > 0 && c.itemsNow < c.itemsBefore);
            const auto capture = image::loadCapture(c.picture);
            const auto was = inspect::evaluate(*prepared, *capture);
            for (const auto& item : was.items) {
                const bool right = item.pose && item.pose->origin.x > 0.5 * w;
                renumbered = renumbered || (right && item.number > int(c.itemsNow));
            }
            for (const auto& k : c.checks)
                QVERIFY2(k.name == datum.name || k.name == "Parts", inspect::words(k).c_str());
        }
        QVERIFY(fewer);
        QVERIFY(renumbered);
    }
};
QTEST_GUILESS_MAIN(HistoryTest)
#include "history_test.moc"
