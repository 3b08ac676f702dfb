// A newcomer's first page: one item on its way from picture to record, and back.
#include "records/csv.h"
#include "records/picture_store.h"
#include "records/record_log.h"
#include "report/sheet_painter.h"
#include "support_records.h"

class WalkTest : public QObject
{
    Q_OBJECT
private slots:
    void captureToRecordAndBack()
    {
        QTemporaryDir dir;
        const std::string file = support::writeDemo(dir, 3);

        // Recipe: a plain value from a file. What is taught is derived when it is prepared.
        const auto recipe = recipe::load(file);
        QVERIFY(recipe);
        const auto prepared = inspect::Prepared::make(*recipe);
        QVERIFY(prepared && prepared->taught("plate")->model);

        // Capture: the picture of one trigger; its id goes along.
        const std::string picture = dir.filePath("plate-003.png").toStdString();
        const auto files = image::readCapture(recipe->pictures, picture);
        QVERIFY(files);
        const auto capture = image::captureOf(recipe->pictures, *files, picture);
        QVERIFY(capture);

        // Step → Measurement → Verdict → Item.
        const inspect::PictureResult result = inspect::evaluate(*prepared, *capture);
        QCOMPARE(result.picture, capture->id());
        QCOMPARE(int(result.items.size()), 1);
        const inspect::ItemResult& item = result.items.front();
        QVERIFY(item.step("plate")->state == inspect::State::Ok);
        QVERIFY(!item.accepted()); // a slot is missing
        QCOMPARE(QString::fromStdString(item.sentence()), QString("Slots 9 · at least 10"));

        // Item → Record: the picture put aside, then one transaction with recipe, values, limits and verdicts.
        records::PictureStore store(base::realFiles(), dir.filePath("pictures").toStdString());
        const auto kept = store.keep(capture->first());
        QVERIFY(kept);
        const auto log = records::RecordLog::open(dir.filePath("records.sqlite"));
        QVERIFY(log);
        records::Entry entry = support::entryOf(support::released(*recipe), result, "walk");
        entry.pictures = {{"", kept->hash, kept->path, ""}};
        const auto ids = (*log)->append({entry});
        QVERIFY(ids && ids->front().size() == 1);
        const auto row = (*log)->items({}).value().front();
        QVERIFY(row.verdict == "reject" && row.batch == "walk" && row.revision == recipe->revision);
        QCOMPARE((*log)->values(ids->front().front())->size(), item.checks.size());

        // Record → screen: the same marks on the sheet, in the annotated picture, in the report.
        const QImage drawn = report::annotated(*capture, *recipe, result);
        QVERIFY(drawn.width() == capture->width() &&
                drawn != report::toQImage(capture->first().pixels).convertToFormat(drawn.format()));

        // And back: the recipe from the log, the picture from the store, the same bits again.
        const auto again = (*log)->recipeOf(ids->front().front());
        QVERIFY(again && recipe::identity(*again) == row.identity.toStdString());
        const auto once =
            inspect::evaluate(*inspect::Prepared::make(*again), *image::loadCapture(row.kept.toStdString()));
        const auto values = (*log)->values(row.id);
        for (std::size_t i = 0; i < values->size(); ++i) {
            QVERIFY((*values)[i].values == once.items.front().checks[i].values);
            QVERIFY(once.items.front().checks[i].values == item.checks[i].values);
        }

        // And a row for the statistics program.
        QVERIFY(records::csvRows(*recipe, result, "now").find(",reject,") != std::string::npos);
    }
};
QTEST_MAIN(WalkTest)
#include "walk_test.moc"
