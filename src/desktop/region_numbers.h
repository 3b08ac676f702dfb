// region_numbers.h - a region typed instead of drawn: its places and sizes on the reference, px.
#pragma once
#include "geometry/region.h"

#include <QWidget>

class QGridLayout;

namespace desktop
{

class RegionNumbers : public QWidget
{
    Q_OBJECT
public:
    explicit RegionNumbers(geometry::Region region, QWidget* parent = nullptr);

signals:
    void changed(const geometry::Region& region, const QString& field); // a region that can be
    void problem(const QString& text);                                  // one that cannot

private:
    // Two fields beside each other; `key` is their object name.
    void pair(const QString& words, const std::vector<std::pair<QString, double*>>& fields, const QString& unit);
    void angle(const QString& words, const QString& key, double* radians);

    geometry::Region m_region;
    QGridLayout* m_grid = nullptr;
    int m_row = 0;
};

} // namespace desktop
