// flip_view.h - the evidence of one cell: the picture as it was taken and just as it turns, and the value as the change
// grows, with its limits and what is expected.
#pragma once
#include "proof/proof.h"

#include <QImage>
#include <QWidget>

namespace desktop
{

struct Flip {
    QString title, taken, turned; // what stands under either picture
    QImage before, after;
    proof::Response response;
    double expected = 0, level = 0;
    bool holds = true, turns = false;
    QString unit;      // of the change
    QString valueUnit; // of the value
    bool bad = false;  // the trial is a bad one
};

class FlipView : public QWidget
{
    Q_OBJECT
public:
    explicit FlipView(QWidget* parent = nullptr);
    void show(std::shared_ptr<const Flip> flip, const QString& hint);
    QSize sizeHint() const override { return {384, 330}; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::shared_ptr<const Flip> m_flip;
    QString m_hint;
};

} // namespace desktop
