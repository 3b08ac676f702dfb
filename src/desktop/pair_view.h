// pair_view.h - the good one and this one side by side, cut alike: blinked in one place, their difference shown, with the
// facts by which it is called what it is called; below it what may vary.
#pragma once
#include "recipe/evidence.h"

#include <QImage>
#include <QWidget>

class QLabel;
class QPushButton;

namespace desktop
{

class PairView : public QWidget
{
    Q_OBJECT
public:
    explicit PairView(QWidget* parent = nullptr);
    // `failed`: this one is no good one. `ofPlaces`: bare ground can be shown at them.
    void show(const recipe::Evidence& evidence, bool failed, bool ofPlaces);
    void clear();
    bool blinks() const { return m_blink; }
    bool showsDifference() const { return m_showDifference; }
    QString facts() const;

signals:
    void goodWanted(); // this one is to be learned from
    void bareWanted(); // it shows the bare ground here

private:
    class Pictures;
    void refresh();
    Pictures* m_pictures;
    QPushButton *m_blinkButton, *m_differenceButton, *m_good, *m_bare;
    QLabel* m_facts;
    bool m_blink = false, m_showDifference = false;
};

} // namespace desktop
