// A newcomer's first page: one item on its way from picture to record.
#include "records/csv.h"
#include "records/record_log.h"
#include "report/sheet_painter.h"
#include "support_records.h"

class WalkTest : public QObject
{
    Q_OBJECT
private slots:
    void captureToRecord()
    {
        QTemporaryDir dir;
        const std::string file = support::writeDemo(dir, 3);

        // Recipe: a plain value from a file. What is taught is derived when it is prepared.
        const auto recipe = recipe::load(file);
        QVERIFY(recipe);
        const auto prepared = inspect::Prepared::make(*recipe);
        QVERIFY(prepared && prepared->taught("plate")->model);

        // Capture: the picture of one trigger; its id goes along.
        const auto capture = image::loadCapture(dir.filePath("plate-003.png").toStdString());
        QVERIFY(capture);

        // Step → Measurement → Verdict → Item.
        const inspect::PictureResult result = inspect::evaluate(*prepared, *capture);
        QCOMPARE(result.picture, capture->id);
        QCOMPARE(int(result.items.size()), 1);
        const inspect::ItemResult& item = result.items.front();
        QVERIFY(item.step("plate")->state == inspect::State::Ok);
        QVERIFY(!item.accepted()); // a slot is missing
        QCOMPARE(QString::fromStdString(item.sentence()), QString("Slots 9 · at least 10"));

        // Item → Record: one transaction, with recipe revision, values, limits and verdicts.
        const auto log = records::RecordLog::open(dir.filePath("records.sqlite"));
        QVERIFY(log);
        const auto ids = (*log)->append({support::entryOf(support::released(*recipe), result, "walk")});
        QVERIFY(ids && ids->front().size() == 1);
        const auto row = (*log)->items({}).value().front();
        QVERIFY(row.verdict == "reject" && row.batch == "walk" && row.revision == recipe->revision);
        QCOMPARE((*log)->values(ids->front().front())->size(), item.checks.size());

        // Record → screen: the same marks on the sheet, in the annotated picture, in the report.
        const QImage drawn = report::annotated(*capture, *recipe, result);
        QVERIFY(drawn.width() == capture->grey.width() &&
                drawn != report::toQImage(capture->grey).convertToFormat(drawn.format()));

        // And a row for the statistics program.
        QVERIFY(records::csvRows(*recipe, result, "now").find(",reject,") != std::string::npos);
    }
};
QTEST_MAIN(WalkTest)
#include "walk_test.moc"
