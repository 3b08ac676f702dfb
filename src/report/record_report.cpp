#include "report/record_report.h"

#include "inspect/uncertainty.h"

#include "base/files.h"
#include "report/charts.h"
#include "report/drawing_pages.h"
#include "report/page_tables.h"
#include "report/sheet_painter.h"
#include "report/theme.h"

#include <QBuffer>
#include <QDateTime>
#include <QFileInfo>
#include <QLocale>
#include <array>
#include <cmath>

namespace report
{
using namespace records;

namespace
{
constexpr double kRow = 18;
const Theme& ink() { return lightTheme(); }
QString when(std::int64_t at)
{
    return QLocale::c().toString(QDateTime::fromMSecsSinceEpoch(at), QStringLiteral("d MMM yyyy HH:mm:ss"));
}
QString grouped(long long n)
{
    QString s = QString::number(n);
    for (qsizetype i = s.size() - 3; i > 0; i -= 3) s.insert(i, QLatin1Char(' '));
    return s;
}
QString index(const std::optional<double>& v) { return v ? QString::number(*v, 'f', 2) : QStringLiteral("–"); }
QString bound(const std::optional<double>& v, const QString& unit)
{
    return v ? figureOf(*v, unit) : QStringLiteral("–");
}

QString stampOf(const QString& verdict)
{
    return verdict == QLatin1String("error") ? QObject::tr("UNREADABLE") : verdict.toUpper();
}
QColor verdictColour(const QString& verdict)
{
    return verdict == QLatin1String("fail") || verdict == QLatin1String("reject")   ? ink().fail
           : verdict == QLatin1String("pass") || verdict == QLatin1String("accept") ? ink().pass
                                                                                    : ink().second;
}
QString verdictText(const QString& verdict)
{
    return verdict == QLatin1String("not_measured") ? QObject::tr("not measured") : verdict;
}

// ---------------------------------------------------------------- one item
// How much of the tolerance is used, as text and as a bar from its middle.
std::optional<double> shareOf(double value, const std::optional<double>& low, const std::optional<double>& high)
{
    if (low && high && *high > *low) return std::abs(2 * value - *low - *high) / (*high - *low);
    if (high && !low && *high > 0 && value >= 0) return value / *high;
    return std::nullopt;
}
QString uncertaintyOf(double u, const QString& unit)
{
    return QString::fromStdString(
        inspect::uncertaintyText(u, base::unitFrom(unit.toStdString()).value_or(base::Unit::None)));
}
void addValue(Pages& pages, const QString& number, const QString& name, const QString& unit, const QString& measured,
              const std::optional<double>& value, const std::optional<double>& nominal,
              const std::optional<double>& low, const std::optional<double>& high, const QString& verdict)
{
    std::optional<double> from = nominal;
    if (!from && low && high) from = (*low + *high) / 2;
    const QString deviation =
        value && from ? (*value - *from >= 0 ? QStringLiteral("+") : QString()) + figureOf(*value - *from, unit)
                      : QStringLiteral("–");
    const auto share = value ? shareOf(*value, low, high) : std::nullopt;
    const QColor colour = verdictColour(verdict);
    std::vector<Cell> cells{{0.05, number, Qt::AlignLeft, true},
                            {0.25, name, Qt::AlignLeft},
                            {0.05, unit, Qt::AlignLeft, false, ink().second},
                            {0.09, bound(nominal, unit)},
                            {0.09, bound(low, unit)},
                            {0.09, bound(high, unit)},
                            {0.16, measured, Qt::AlignRight, true, colour},
                            {0.09, deviation},
                            {0.07, share ? QStringLiteral("%1 %").arg(100 * *share, 0, 'f', 0) : QStringLiteral("–")},
                            {0.06, QString()}};
    const QString word = verdictText(verdict);
    pages.add(kRow, [=](QPainter& p, QRectF box) {
        paintCells(p, box, cells);
        const QRectF sign(box.right() - 30, box.top() + 3, 12, 12);
        if (verdict == QLatin1String("pass")) drawTick(p, sign, ink().pass, 1.6);
        else if (verdict == QLatin1String("fail")) drawCross(p, sign, ink().fail, 2);
        else if (verdict == QLatin1String("not_measured")) hatch(p, sign, ink().notMeasured, 4);
        else drawDash(p, sign, ink().ink, 1.4);
        rule(p, box, 0.4, ink().hair);
    });
}
void addValues(Pages& pages, const std::vector<ValueRow>& values)
{
    addHead(pages, {{0.05, QString()},
                    {0.25, QObject::tr("check"), Qt::AlignLeft},
                    {0.05, QObject::tr("unit"), Qt::AlignLeft},
                    {0.09, QObject::tr("nominal")},
                    {0.09, QObject::tr("low")},
                    {0.09, QObject::tr("high")},
                    {0.16, QObject::tr("measured")},
                    {0.09, QObject::tr("deviation")},
                    {0.07, QObject::tr("share")},
                    {0.06, QObject::tr("verdict")}});
    for (const ValueRow& v : values) {
        const QString number = v.balloon > 0 ? QString::number(v.balloon) : QString();
        if (!v.list) {
            const auto value = v.values.empty() ? std::nullopt : std::optional(v.values.front());
            addValue(
                pages, number, v.name, v.unit,
                value ? figureOf(*value, v.unit) +
                            (v.uncertainty ? QStringLiteral(" ± ") + uncertaintyOf(*v.uncertainty, v.unit) : QString())
                      : QObject::tr("none"),
                value, v.nominal, v.low, v.high, v.verdict);
        } else {
            addValue(pages, number, v.name, v.unit, QObject::tr("%1 values").arg(v.values.size()), {}, v.nominal, v.low,
                     v.high, v.verdict);
            // Every element in a row of its own.
            if (!v.elements.empty())
                for (const ElementRow& e : v.elements)
                    addValue(pages, {}, QStringLiteral("   ") + e.name, v.unit,
                             e.value ? figureOf(*e.value, v.unit) : QObject::tr("missing"), e.value, e.nominal, e.low,
                             e.high, e.verdict);
            else
                for (std::size_t i = 0; i < v.values.size(); ++i) {
                    const double x = v.values[i];
                    const bool out = (v.low && x < *v.low) || (v.high && x > *v.high);
                    addValue(pages, {}, QStringLiteral("   %1").arg(i + 1), v.unit, figureOf(x, v.unit), x, v.nominal,
                             v.low, v.high,
                             out               ? QStringLiteral("fail")
                             : v.low || v.high ? QStringLiteral("pass")
                                               : QStringLiteral("unjudged"));
                }
        }
        if (!v.reason.isEmpty() && v.verdict != QLatin1String("pass"))
            addRow(pages, {{0.05, QString()}, {0.95, v.reason, Qt::AlignLeft, false, verdictColour(v.verdict)}}, 15);
    }
    pages.setHead(0, nullptr);
}
} // namespace

base::Status writeItemReport(const QString& logPath, long long id, const QString& path, Paper paper,
                             const ItemPages& extra)
{
    const auto log = RecordLog::open(logPath);
    if (!log) return base::passOn(log.error());
    const auto row = (*log)->item(id);
    if (!row) return base::passOn(row.error());
    const auto values = (*log)->values(id);
    if (!values) return base::passOn(values.error());
    OwnRecipes own;
    const auto with = own.of(**log, *row);
    const auto again = with ? inspectAgain(**log, id, **with) : base::Result<Again>(base::passOn(with.error()));

    const QString heading = QObject::tr("Item %1 · %2").arg(grouped(id), QFileInfo(row->picture).fileName());
    Pages pages(paper, heading);
    const QDateTime at = QDateTime::fromString(row->at, Qt::ISODateWithMs);
    pages.setTitleBlock({QObject::tr("%1, revision %2").arg(row->recipe).arg(row->revision), heading,
                         row->batch.isEmpty() ? QObject::tr("no batch") : QObject::tr("batch %1").arg(row->batch),
                         madeAt()});
    addHeading(pages, heading, stampOf(row->verdict));
    std::vector<std::pair<QString, QString>> facts{
        {QObject::tr("taken"), when(at.toMSecsSinceEpoch())},
        {QObject::tr("recipe"), QObject::tr("%1, revision %2").arg(row->recipe).arg(row->revision)},
        {QObject::tr("batch"), row->batch.isEmpty() ? QObject::tr("none") : row->batch},
        {QObject::tr("released by"), row->by.isEmpty() ? QObject::tr("nobody named") : row->by},
        {QObject::tr("station"), row->station.isEmpty() ? QObject::tr("none") : row->station},
        {QObject::tr("identity"), row->identity.left(16)},
        {QObject::tr("picture"), row->picture},
        {QObject::tr("its SHA-256"),
         row->pictureHash.isEmpty() ? QObject::tr("not known") : row->pictureHash.left(16) + QStringLiteral("…")}};
    if (row->item > 1) facts.emplace_back(QObject::tr("part"), QString::number(row->item));
    if (!row->overruled.isEmpty())
        facts.emplace_back(QObject::tr("overruled"),
                           QObject::tr("%1 by %2: %3").arg(row->overruled, row->overruledBy, row->overruledWhy));
    addFacts(pages, facts);
    if (!row->sentence.isEmpty()) {
        pages.gap(4);
        pages.text(row->sentence, 12, verdictColour(row->verdict));
    }
    for (const QString& w : row->warnings) pages.text(QObject::tr("beware: %1").arg(w), 11, ink().second);
    pages.gap(8);
    if (again && again->item >= 0 && !again->capture->empty()) {
        const auto capture = again->capture;
        const auto result = again->result;
        const auto prepared = *with;
        const int item = again->item;
        QImage picture = toQImage(capture->first());
        const QSizeF full = picture.size();
        const double wide = pages.width(), high = std::min(430.0, wide * full.height() / full.width());
        if (picture.width() > 1800) picture = picture.scaledToWidth(1800, Qt::SmoothTransformation);
        pages.add(high, [=](QPainter& p, QRectF box) {
            const double k = std::min(box.width() / full.width(), box.height() / full.height());
            const QRectF to(box.center().x() - k * full.width() / 2, box.top(), k * full.width(), k * full.height());
            p.drawImage(to, picture);
            p.setClipRect(to);
            QTransform t = QTransform::fromTranslate(to.left(), to.top());
            t.scale(k, k);
            SheetScene scene{&prepared->recipe(), result.get(), item, {}, true, full};
            paintSheet(p, scene, t, to, 0.8);
        });
        if (!again->same())
            pages.text(
                QObject::tr("Computed anew the item differs from what was logged; the table holds what was logged."),
                11, ink().fail);
    } else
        pages.text(
            QObject::tr("No picture: %1")
                .arg(QString::fromStdString(again ? "the item is not found in it any more" : again.error().message)),
            11, ink().second);
    pages.gap(8);
    addValues(pages, *values);
    if (again && again->item >= 0 && !again->capture->empty() &&
        std::size_t(again->item) < again->result->items.size()) {
        const auto& item = again->result->items[std::size_t(again->item)];
        if (extra.deviation) addDeviationPage(pages, again->capture, (*with)->recipe(), item);
        if (extra.drawing) addDrawingPage(pages, (*with)->recipe(), item);
    }
    return pages.write(path);
}

base::Status writeItemPicture(const RecordLog& log, OwnRecipes& own, long long item, const QString& path)
{
    const auto row = log.item(item);
    if (!row) return base::passOn(row.error());
    const auto with = own.of(log, *row);
    if (!with) return base::passOn(with.error());
    const auto again = inspectAgain(log, item, **with);
    if (!again) return base::passOn(again.error());
    QByteArray png;
    QBuffer buffer(&png);
    annotated(*again->capture, (*with)->recipe(), *again->result).save(&buffer, "PNG");
    return base::writeAtomic(base::realFiles(), path.toStdString(), png.toStdString());
}

// ---------------------------------------------------------------- many items
namespace
{
struct Judged {
    int check = 0;
    CheckSummary summary;
    CheckDetail detail;
};
void addStatistics(Pages& pages, const Columns& columns, const std::vector<Judged>& all, bool process)
{
    addHead(pages, {{0.05, QString()},
                    {0.2, QObject::tr("check"), Qt::AlignLeft},
                    {0.05, QObject::tr("unit"), Qt::AlignLeft},
                    {0.08, QObject::tr("low")},
                    {0.08, QObject::tr("high")},
                    {0.07, QObject::tr("values")},
                    {0.06, QObject::tr("failed")},
                    {0.07, QObject::tr("no value")},
                    {0.08, QObject::tr("mean")},
                    {0.08, QObject::tr("s")},
                    {0.06, QObject::tr("Cp")},
                    {0.06, QObject::tr("Cpk")},
                    {0.06, QObject::tr("Ppk")}});
    for (const Judged& j : all) {
        const CheckName& name = columns.checks[std::size_t(j.check)];
        const Statistics& s = j.detail.statistics;
        const auto counted = [&](const std::optional<double>& v) {
            return !process ? QString() : j.detail.under < kEnoughForCapability && v ? QString() : index(v);
        };
        addRow(pages, {{0.05, name.balloon > 0 ? QString::number(name.balloon) : QString(), Qt::AlignLeft, true},
                       {0.2, name.name, Qt::AlignLeft},
                       {0.05, name.unit, Qt::AlignLeft, false, ink().second},
                       {0.08, bound(j.detail.limits.low, name.unit)},
                       {0.08, bound(j.detail.limits.high, name.unit)},
                       {0.07, grouped(j.summary.measured)},
                       {0.06, grouped(j.summary.failed), Qt::AlignRight, j.summary.failed > 0,
                        j.summary.failed > 0 ? ink().fail : QColor()},
                       {0.07, grouped(j.summary.notMeasured)},
                       {0.08, s.count > 0 ? figureOf(s.mean, name.unit) : QStringLiteral("–")},
                       {0.08, s.count > 1 ? QString::number(s.deviation, 'g', 3) : QStringLiteral("–")},
                       {0.06, counted(s.cp)},
                       {0.06, counted(s.cpk), Qt::AlignRight, true},
                       {0.06, counted(s.ppk)}});
    }
    pages.setHead(0, nullptr);
}
// What Cp and Cpk assume, and whether it holds.
QString probability(double p)
{
    return p < 0.0001 ? QStringLiteral("p < 0.0001") : QStringLiteral("p = %1").arg(p, 0, 'g', 2);
}
QString assumptions(const CheckDetail& d)
{
    QStringList out;
    if (d.limitsMoved)
        out << QObject::tr("statistics of the %1 values under the last limits").arg(grouped((long long)(d.under)));
    if (d.under < kEnoughForCapability)
        out << QObject::tr("capability needs %1 values, there are %2").arg(kEnoughForCapability).arg(d.under);
    if (d.normality)
        out << (d.normality->likely() ? QObject::tr("normally distributed: nothing speaks against it (%1)")
                                            .arg(probability(d.normality->probability))
                                      : QObject::tr("not normally distributed (%1): Cp, Cpk do not hold")
                                            .arg(probability(d.normality->probability)));
    if (d.quantiles)
        out << QObject::tr("by quantiles 0.135, 50, 99.865 %: Pp %1, Ppk %2")
                   .arg(index(d.quantiles->pp), index(d.quantiles->ppk));
    if (d.chart.places.size() > 1)
        out << (d.stable()
                    ? QObject::tr("stable")
                    : QObject::tr("not stable: %1 signs, first %2")
                          .arg(grouped((long long)(d.hits.size())), QString::fromStdString(ruleText(d.hits.front()))));
    return out.join(QStringLiteral("; "));
}
void addChart(Pages& pages, const Columns& columns, const std::vector<Row>& rows, const Judged& j)
{
    const CheckName& name = columns.checks[std::size_t(j.check)];
    auto detail = std::make_shared<CheckDetail>(j.detail);
    auto values = std::make_shared<ChartValues>();
    values->detail = detail.get(), values->unit = name.unit, values->items = rows.size();
    for (std::size_t i = 0; i < rows.size(); ++i) {
        const CellState state = columns.cell(rows[i], std::size_t(j.check)).state;
        if (state == CellState::Fail && values->failed.size() < 400) values->failed.push_back(std::uint32_t(i));
        if (state == CellState::NotMeasured && values->lost.size() < 400) values->lost.push_back(std::uint32_t(i));
    }
    const QString title = (name.balloon > 0 ? QString::number(name.balloon) + QStringLiteral("  ") : QString()) +
                          name.name + (name.unit.isEmpty() ? QString() : QStringLiteral(", ") + name.unit) +
                          (name.list ? QObject::tr(" (worst of each list)") : QString());
    const QString note = assumptions(j.detail);
    pages.add(168, [=](QPainter& p, QRectF box) {
        p.setFont(printFont(12, true));
        p.setPen(ink().ink);
        p.drawText(QRectF(box.left(), box.top(), box.width(), 18), Qt::AlignVCenter, title);
        p.setFont(printFont(10));
        p.setPen(ink().second);
        p.drawText(QRectF(box.left(), box.top() + 17, box.width(), 16), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(note, Qt::ElideRight, int(box.width())));
        paintChart(p, *values, QRectF(box.left(), box.top() + 34, box.width(), 124));
        (void)detail;
    });
    pages.gap(4);
}
void addPareto(Pages& pages, const Columns& columns, std::vector<Judged> all)
{
    std::stable_sort(all.begin(), all.end(), [](const Judged& a, const Judged& b) {
        return a.summary.failed + a.summary.notMeasured > b.summary.failed + b.summary.notMeasured;
    });
    long long sum = 0, so = 0, most = 1;
    for (const Judged& j : all) {
        sum += j.summary.failed + j.summary.notMeasured;
        most = std::max(most, j.summary.failed + j.summary.notMeasured);
    }
    if (sum == 0) return;
    pages.gap(10);
    pages.line(QObject::tr("Faults, most frequent first"), 13, true);
    for (const Judged& j : all) {
        const long long bad = j.summary.failed + j.summary.notMeasured;
        if (bad == 0) break;
        so += bad;
        const QString name = columns.checks[std::size_t(j.check)].name;
        const double failed = double(j.summary.failed) / double(most),
                     lost = double(j.summary.notMeasured) / double(most);
        const QString text = QObject::tr("%1 (%2 %, together %3 %)")
                                 .arg(grouped(bad))
                                 .arg(100.0 * double(bad) / double(sum), 0, 'f', 0)
                                 .arg(100.0 * double(so) / double(sum), 0, 'f', 0);
        pages.add(kRow, [=](QPainter& p, QRectF box) {
            paintCells(p, box, {{0.26, name, Qt::AlignLeft}});
            const double left = box.left() + 0.26 * box.width(), wide = 0.46 * box.width();
            p.fillRect(QRectF(left, box.top() + 4, wide * failed, box.height() - 8), ink().fail);
            hatch(p, QRectF(left + wide * failed, box.top() + 4, wide * lost, box.height() - 8), ink().notMeasured, 4);
            p.setFont(printFont(10.5));
            p.setPen(ink().ink);
            p.drawText(QRectF(left + wide * (failed + lost) + 6, box.top(), box.right() - left, box.height()),
                       Qt::AlignVCenter, text);
        });
    }
}
base::Status addRejects(Pages& pages, const RecordLog& log, const Columns& columns, const std::vector<Row>& rows)
{
    constexpr std::size_t kMost = 300;
    std::vector<long long> ids;
    std::size_t all = 0;
    for (const Row r : rows) {
        const ItemVerdict v = columns.verdict(r);
        if (v != ItemVerdict::Reject && v != ItemVerdict::Error) continue;
        if (++all <= kMost) ids.push_back(columns.id(r));
    }
    if (all == 0) return {};
    pages.gap(10);
    pages.line(QObject::tr("Rejects"), 13, true);
    addHead(pages, {{0.09, QObject::tr("item"), Qt::AlignLeft},
                    {0.21, QObject::tr("taken"), Qt::AlignLeft},
                    {0.2, QObject::tr("picture"), Qt::AlignLeft},
                    {0.5, QObject::tr("what is wrong"), Qt::AlignLeft}});
    for (const long long id : ids) {
        const auto row = log.item(id);
        if (!row) return base::passOn(row.error());
        QString text = row->sentence;
        if (!row->overruled.isEmpty())
            text = QObject::tr("overruled: %1 by %2: %3; ").arg(row->overruled, row->overruledBy, row->overruledWhy) +
                   text;
        addRow(pages,
               {{0.09, grouped(id), Qt::AlignLeft},
                {0.21, when(QDateTime::fromString(row->at, Qt::ISODateWithMs).toMSecsSinceEpoch()), Qt::AlignLeft},
                {0.2, QFileInfo(row->picture).fileName(), Qt::AlignLeft},
                {0.5, text, Qt::AlignLeft, false, ink().fail}});
    }
    pages.setHead(0, nullptr);
    if (all > kMost)
        pages.line(
            QObject::tr("and %1 more: the table of the records has them all").arg(grouped((long long)(all - kMost))),
            11, false, ink().second);
    return {};
}
} // namespace

base::Status writeBatchReport(const QString& logPath, const Columns& columns, const Choice& choice,
                              const BatchReport& report, const QString& path, base::Watch* watch)
{
    const auto log = RecordLog::open(logPath);
    if (!log) return base::passOn(log.error());
    const auto rows = rowsOf(columns, choice);
    if (rows.empty()) return base::fail(base::ErrorCode::NotFound, "no item is chosen: there is nothing to report");
    const ItemCounts n = countsOf(columns, rows);
    std::int64_t first = columns.at(rows.front()), last = first;
    QStringList recipes, stations, batches;
    const auto add = [](QStringList& to, const QString& word) {
        if (!word.isEmpty() && to.size() < 12 && !to.contains(word)) to << word;
    };
    for (const Row r : rows) {
        first = std::min(first, columns.at(r)), last = std::max(last, columns.at(r));
        const ReleaseName& release = columns.releases[columns.release(r)];
        add(recipes, QObject::tr("%1, revision %2").arg(release.recipe).arg(release.revision));
        add(stations, columns.stations[columns.station(r)]);
        add(batches, columns.batches[columns.batch(r)]);
    }
    const bool process = !choice.byOutcome();
    Pages pages(report.paper, report.heading);
    pages.setTitleBlock({recipes.join(QStringLiteral("; ")), report.heading, report.sentence, madeAt()});
    addHeading(pages, report.heading, {});
    addFacts(
        pages,
        {{QObject::tr("items"), grouped(n.items)},
         {QObject::tr("from"), when(first)},
         {QObject::tr("accepted"), QObject::tr("%1 (%2 %)")
                                       .arg(grouped(n.accepted))
                                       .arg(100.0 * double(n.accepted) / double(n.items), 0, 'f', 1)},
         {QObject::tr("to"), when(last)},
         {QObject::tr("rejected"), grouped(n.rejected)},
         {QObject::tr("recipes"), recipes.join(QStringLiteral("; "))},
         {QObject::tr("unjudged"), grouped(n.unjudged)},
         {QObject::tr("batches"), batches.isEmpty() ? QObject::tr("none") : batches.join(QStringLiteral(", "))},
         {QObject::tr("unreadable"), grouped(n.unreadable)},
         {QObject::tr("stations"), stations.isEmpty() ? QObject::tr("none") : stations.join(QStringLiteral(", "))}});
    pages.gap(4);
    pages.text(QObject::tr("Items: %1.").arg(report.sentence), 11, ink().second);
    if (!process) pages.text(QObject::tr("Chosen by their results: nothing is said of the process."), 11, ink().second);
    pages.gap(8);
    auto all = summaries(columns, rows, 0, process);
    std::vector<Judged> judged;
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (watch && watch->cancel) return base::fail(base::ErrorCode::Cancelled, "stopped");
        if (watch) watch->share = double(i) / double(all.size() + 1);
        if (all[i].asked == 0) continue;
        judged.push_back({int(i), std::move(all[i]), detailOf(columns, rows, i, process, report.kind, report.group)});
    }
    std::stable_sort(judged.begin(), judged.end(), [&](const Judged& a, const Judged& b) {
        const CheckName &x = columns.checks[std::size_t(a.check)], &y = columns.checks[std::size_t(b.check)];
        return std::make_pair(x.recipe, x.position) < std::make_pair(y.recipe, y.position);
    });
    addStatistics(pages, columns, judged, process);
    addPareto(pages, columns, judged);
    pages.gap(12);
    for (const Judged& j : judged)
        if (!j.detail.values.empty() && (j.detail.limits.low || j.detail.limits.high))
            addChart(pages, columns, rows, j);
    if (auto ok = addRejects(pages, **log, columns, rows); !ok) return ok;
    if (watch) watch->share = 1;
    return pages.write(path);
}

} // namespace report
