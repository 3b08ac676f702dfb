#include "records/entry.h"

#include "recipe/recipe_file.h"

#include <QDateTime>

namespace records
{

base::Result<std::shared_ptr<const Release>> release(std::shared_ptr<const inspect::Prepared> prepared,
                                                     const std::string& by)
{
    recipe::Recipe bare = prepared->recipe();
    bare.trials.clear();
    auto packed = recipe::packed(bare, "");
    if (!packed) return base::passOn(packed.error());
    auto out = std::make_shared<Release>();
    out->identity = recipe::identity(bare);
    out->packed = std::move(*packed);
    out->by = by;
    out->at = nowUtc();
    out->revision = bare.revision;
    out->prepared = std::move(prepared);
    return std::shared_ptr<const Release>(std::move(out));
}

std::string nowUtc() { return QDateTime::currentDateTimeUtc().toString(Qt::ISODateWithMs).toStdString(); }

} // namespace records
