#include "records/retention.h"

#include "records/server.h"

#include <QDateTime>
#include <QSqlDatabase>
#include <QSqlError>
#include <QSqlQuery>
#include <QSqlRecord>
#include <QVariant>

namespace records
{
using base::ErrorCode;
using base::fail;

namespace
{
base::Result<QVariantList> ask(const RecordLog& log, const QString& sql, const QVariantList& values = {})
{
    QSqlQuery q(log.database());
    q.prepare(sql);
    for (const QVariant& v : values) q.addBindValue(v);
    if (!q.exec())
        return fail(ErrorCode::Io, "the record log cannot be used: " + q.lastError().text().toStdString(),
                    log.path().toStdString());
    QVariantList out;
    if (q.next())
        for (int i = 0; i < q.record().count(); ++i) out << q.value(i);
    return out;
}
base::Result<long long> number(const RecordLog& log, const QString& sql, const QVariantList& values = {})
{
    const auto row = ask(log, sql, values);
    if (!row) return base::passOn(row.error());
    return row->isEmpty() ? 0 : row->front().toLongLong();
}
} // namespace

base::Result<long long> usedBytes(const RecordLog& log)
{
    const auto pages = number(log, QStringLiteral("pragma page_count")),
               free = number(log, QStringLiteral("pragma freelist_count")),
               size = number(log, QStringLiteral("pragma page_size"));
    for (const auto* n : {&pages, &free, &size})
        if (!*n) return base::passOn(n->error());
    return (*pages - *free) * *size;
}

base::Result<Leaving> leaving(const RecordLog& log, const Retention& r)
{
    if (isServer(log.path()))
        return fail(ErrorCode::Unsupported, "a server's records leave it by dropping a month's tables",
                    log.path().toStdString());
    Leaving out;
    const auto all = number(log, QStringLiteral("select count(*) from item"));
    if (!all) return base::passOn(all.error());
    out.of = *all;
    long long upTo = 0;
    if (r.days > 0) {
        const QString before = QDateTime::currentDateTimeUtc().addDays(-r.days).toString(Qt::ISODateWithMs);
        // The first that is young enough ends it: items are logged in the order they were taken.
        const auto first =
            number(log,
                   QStringLiteral(
                       "select coalesce((select min(id) from item where at >= ?), (select max(id) + 1 from item), 0)"),
                   {before});
        if (!first) return base::passOn(first.error());
        upTo = *first - 1;
    }
    const auto used = usedBytes(log);
    if (!used) return base::passOn(used.error());
    if (r.mostBytes > 0 && *used > r.mostBytes && *all > 0) {
        const long long stay = (long long)(double(*all) * double(r.mostBytes) / double(*used)), go = *all - stay;
        const auto last =
            number(log, QStringLiteral("select id from item order by id limit 1 offset ?"), {std::max(0LL, go - 1)});
        if (!last) return base::passOn(last.error());
        if (go > 0) upTo = std::max(upTo, *last);
    }
    if (upTo < 1) return out;
    // Only when it is sent on somewhere.
    const auto sent = ask(log, QStringLiteral("select value from about where key = 'sent'"));
    if (!sent) return base::passOn(sent.error());
    if (!sent->isEmpty() && sent->front().toLongLong() < upTo) {
        const long long there = sent->front().toLongLong();
        const auto waits =
            number(log, QStringLiteral("select count(*) from item where id > ? and id <= ?"), {there, upTo});
        if (!waits) return base::passOn(waits.error());
        out.notSent = *waits;
        upTo = there;
    }
    const auto items = ask(
        log, QStringLiteral("select count(*), coalesce(min(at), ''), coalesce(max(at), '') from item where id <= ?"),
        {upTo});
    const auto values = number(log, QStringLiteral("select count(*) from value where item <= ?"), {upTo});
    if (!items) return base::passOn(items.error());
    if (!values) return base::passOn(values.error());
    out.upTo = upTo;
    out.items = items->at(0).toLongLong(), out.first = items->at(1).toString(), out.last = items->at(2).toString();
    out.values = *values;
    out.bytes = *all > 0 ? (long long)(double(*used) * double(out.items) / double(*all)) : 0;
    return out;
}

base::Status remove(RecordLog& log, const Leaving& leaving, base::Watch* watch)
{
    if (isServer(log.path()))
        return fail(ErrorCode::Unsupported, "a server's records are not removed from here", log.path().toStdString());
    constexpr long long kTogether = 1000; // others log in between
    const auto first = number(log, QStringLiteral("select coalesce(min(id), 0) from item"));
    if (!first) return base::passOn(first.error());
    for (long long from = *first; leaving.items > 0 && from <= leaving.upTo; from += kTogether) {
        if (watch && watch->cancel) return fail(ErrorCode::Cancelled, "stopped; what went is gone, the rest stays");
        if (watch) watch->share = double(from - *first) / double(leaving.upTo - *first + 1);
        const long long to = std::min(leaving.upTo, from + kTogether - 1);
        QSqlQuery q(log.database());
        if (!q.exec(QStringLiteral("begin immediate")))
            return fail(ErrorCode::Io, "the record log cannot be written: " + q.lastError().text().toStdString(),
                        log.path().toStdString());
        bool ok = true;
        for (const char* sql : {"delete from value where item <= ?", "delete from picture where item <= ?",
                                "delete from overrule where item <= ?", "delete from digest where first <= ?",
                                "delete from item where id <= ?"}) {
            q.prepare(QLatin1String(sql));
            q.addBindValue(to);
            ok = ok && q.exec();
        }
        if (!ok || !q.exec(QStringLiteral("commit"))) {
            const std::string why = q.lastError().text().toStdString();
            q.exec(QStringLiteral("rollback"));
            return fail(ErrorCode::Io, "the record log cannot be written: " + why, log.path().toStdString());
        }
    }
    if (watch) watch->share = 1;
    return {};
}

} // namespace records
