#include "report/study_report.h"

#include "report/charts.h"
#include "report/page_tables.h"
#include "report/theme.h"

#include <QDateTime>
#include <algorithm>
#include <map>

namespace report
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QString six(double v) { return QString::number(v, 'g', 6); }

// Every value over its part, one column each; means of each person joined.
void addValues(Pages& pages, const std::vector<inspect::StudyValue>& values, const QString& unit)
{
    std::vector<std::string> parts, persons;
    const auto place = [](std::vector<std::string>& in, const std::string& word) {
        const auto at = std::find(in.begin(), in.end(), word);
        if (at != in.end()) return std::size_t(at - in.begin());
        in.push_back(word);
        return in.size() - 1;
    };
    std::map<std::pair<std::size_t, std::size_t>, std::pair<double, int>> means;
    double low = 1e300, high = -1e300;
    struct Point {
        std::size_t part, person;
        double value;
    };
    std::vector<Point> points;
    for (const auto& v : values) {
        points.push_back({place(parts, v.part), place(persons, v.person), v.value});
        auto& m = means[{points.back().person, points.back().part}];
        m.first += v.value, ++m.second;
        low = std::min(low, v.value), high = std::max(high, v.value);
    }
    if (points.empty()) return;
    const double room = std::max(1e-12, 0.12 * (high - low));
    low -= room, high += room;
    pages.line(QObject::tr("Values by part, means of each person joined"), 13, true);
    pages.add(190, [=](QPainter& p, QRectF box) {
        const QRectF plot(box.left(), box.top() + 4, box.width() - 110, box.height() - 26);
        const auto at = [&](std::size_t part, double v) {
            return QPointF(plot.left() + plot.width() * (double(part) + 0.5) / double(parts.size()),
                           plot.bottom() - plot.height() * (v - low) / (high - low));
        };
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(QPen(lightTheme().rule, 0.7));
        p.setBrush(Qt::NoBrush);
        p.drawRect(plot);
        p.setFont(printFont(9.5));
        static const Qt::PenStyle styles[] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine, Qt::DashDotLine};
        for (std::size_t person = 0; person < persons.size(); ++person) {
            QPolygonF line;
            for (std::size_t part = 0; part < parts.size(); ++part)
                if (const auto m = means.find({person, part}); m != means.end())
                    line << at(part, m->second.first / m->second.second);
            const QColor colour = person % 2 ? lightTheme().datum : lightTheme().ink;
            p.setPen(QPen(colour, 1.1, styles[person / 2 % 4]));
            p.drawPolyline(line);
            const double y = plot.top() + 10 + 15 * double(person);
            p.drawLine(QPointF(plot.right() + 8, y), QPointF(plot.right() + 30, y));
            p.drawText(QRectF(plot.right() + 36, y - 8, 70, 16), Qt::AlignVCenter,
                       p.fontMetrics().elidedText(q(persons[person]), Qt::ElideRight, 70));
        }
        p.setPen(Qt::NoPen);
        for (const Point& one : points) {
            p.setBrush(one.person % 2 ? lightTheme().datum : lightTheme().ink);
            p.drawEllipse(at(one.part, one.value) +
                              QPointF(4 * (double(one.person) - double(persons.size() - 1) / 2), 0),
                          1.5, 1.5);
        }
        p.setPen(lightTheme().second);
        const int every = std::max(1, int(parts.size()) * 34 / std::max(1, int(plot.width())) + 1);
        for (std::size_t part = 0; part < parts.size(); part += std::size_t(every)) {
            const double x = at(part, low).x();
            p.drawText(QRectF(x - 40, plot.bottom() + 2, 80, 16), Qt::AlignCenter, q(parts[part]));
        }
        p.drawText(QRectF(plot.right() + 4, plot.bottom() - 14, 104, 14), Qt::AlignVCenter,
                   figureOf(low, unit) + QLatin1Char(' ') + unit);
        p.drawText(QRectF(plot.left() + 4, plot.top() + 1, 120, 14), Qt::AlignVCenter,
                   figureOf(high, unit) + QLatin1Char(' ') + unit);
    });
}
} // namespace

base::Status writeStudyReport(const QString& path, const inspect::Study& s,
                              const std::vector<inspect::StudyValue>& values, const std::optional<double>& tolerance,
                              const QString& what, const QString& unit, Paper paper)
{
    const QString heading = QObject::tr("Study of the gauge · %1").arg(what);
    Pages pages(paper, heading);
    pages.setTitleBlock({what, heading,
                         QObject::tr("%1 parts × %2 persons × %3 repeats").arg(s.parts).arg(s.persons).arg(s.repeats),
                         madeAt()});
    addHeading(pages, heading, {});
    addFacts(pages, {{QObject::tr("parts"), QString::number(s.parts)},
                     {QObject::tr("repeats"), QString::number(s.repeats)},
                     {QObject::tr("persons"), QString::number(s.persons)},
                     {QObject::tr("tolerance"),
                      tolerance ? six(*tolerance) + QLatin1Char(' ') + unit : QObject::tr("not given")},
                     {QObject::tr("categories"), QObject::tr("%1 can be told apart").arg(s.categories, 0, 'f', 0)},
                     {QObject::tr("interaction"),
                      s.pooled ? QObject::tr("small, went into the repeatability") : QObject::tr("kept apart")}});
    pages.gap(10);
    pages.line(QObject::tr("Where the variation comes from"), 13, true);
    addHead(pages, {{0.22, QObject::tr("source"), Qt::AlignLeft},
                    {0.16, QObject::tr("variance")},
                    {0.16, QObject::tr("spread")},
                    {0.14, QObject::tr("% of all")},
                    {0.14, QObject::tr("% of tolerance")},
                    {0.18, QString()}});
    for (const auto& c : s.components) {
        const double share = std::clamp(c.shareOfTotal / 100, 0.0, 1.0);
        const std::vector<Cell> cells{
            {0.22, q(c.source), Qt::AlignLeft, c.source == "gauge"},
            {0.16, six(c.variance)},
            {0.16, six(c.spread)},
            {0.14, QString::number(c.shareOfTotal, 'f', 2)},
            {0.14, c.shareOfTolerance ? QString::number(*c.shareOfTolerance, 'f', 2) : QStringLiteral("–")}};
        pages.add(18, [=](QPainter& p, QRectF box) {
            paintCells(p, box, cells);
            p.fillRect(
                QRectF(box.left() + 0.84 * box.width(), box.top() + 5, 0.16 * box.width() * share, box.height() - 10),
                QColor("#8A8F96"));
        });
    }
    pages.setHead(0, nullptr);
    pages.gap(10);
    pages.line(QObject::tr("Analysis of variance"), 13, true);
    addHead(pages, {{0.25, QObject::tr("source"), Qt::AlignLeft},
                    {0.1, QObject::tr("DF")},
                    {0.2, QObject::tr("SS")},
                    {0.2, QObject::tr("MS")},
                    {0.12, QObject::tr("F")},
                    {0.13, QObject::tr("p")}});
    for (const auto& r : s.table)
        addRow(pages, {{0.25, q(r.source), Qt::AlignLeft},
                       {0.1, QString::number(r.freedom)},
                       {0.2, six(r.squares)},
                       {0.2, r.source == "total" ? QString() : six(r.mean)},
                       {0.12, r.f ? QString::number(*r.f, 'f', 4) : QString()},
                       {0.13, !r.p            ? QString()
                              : *r.p < 0.0001 ? QStringLiteral("< 0.0001")
                                              : QString::number(*r.p, 'f', 4)}});
    pages.setHead(0, nullptr);
    pages.gap(12);
    addValues(pages, values, unit);
    return pages.write(path);
}

base::Status writeRepeatReport(const QString& path, const std::vector<RepeatLine>& lines, const QString& what,
                               Paper paper)
{
    const QString heading = QObject::tr("Repeatability · %1").arg(what);
    Pages pages(paper, heading);
    pages.setTitleBlock({what, heading, QObject::tr("%1 checks").arg(lines.size()), madeAt()});
    addHeading(pages, heading, {});
    addHead(pages, {{0.22, QObject::tr("check"), Qt::AlignLeft},
                    {0.06, QObject::tr("unit"), Qt::AlignLeft},
                    {0.07, QObject::tr("takes")},
                    {0.13, QObject::tr("mean")},
                    {0.11, QObject::tr("spread")},
                    {0.11, QObject::tr("bias")},
                    {0.1, QObject::tr("U")},
                    {0.1, QObject::tr("Cg")},
                    {0.1, QObject::tr("Cgk")}});
    for (const RepeatLine& l : lines) {
        if (!l.result) {
            addRow(pages, {{0.22, l.name, Qt::AlignLeft}, {0.78, l.reason, Qt::AlignLeft, false, lightTheme().second}});
            continue;
        }
        const auto optional = [](const std::optional<double>& v) {
            return v ? QString::number(*v, 'f', 2) : QStringLiteral("–");
        };
        addRow(pages, {{0.22, l.name, Qt::AlignLeft},
                       {0.06, l.unit, Qt::AlignLeft, false, lightTheme().second},
                       {0.07, QString::number(l.takes)},
                       {0.13, figureOf(l.result->mean, l.unit), Qt::AlignRight, true},
                       {0.11, QString::number(l.result->spread, 'g', 4)},
                       {0.11, l.result->bias ? QString::number(*l.result->bias, 'g', 4) : QStringLiteral("–")},
                       {0.1, QString::number(l.result->uncertainty, 'g', 4)},
                       {0.1, optional(l.result->cg)},
                       {0.1, optional(l.result->cgk)}});
    }
    pages.setHead(0, nullptr);
    pages.gap(8);
    pages.text(QObject::tr("Cg and Cgk after ISO 22514-7; U is the expanded uncertainty with a factor of 2. Spreads "
                           "are sample standard deviations."),
               11, lightTheme().second);
    return pages.write(path);
}

} // namespace report
