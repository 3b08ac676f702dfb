// proof_views.h - what no check sees, and how sure values are: painted lists of the Proof workspace.
#pragma once
#include "proof/proof.h"

#include <QImage>
#include <QWidget>

namespace desktop
{

// Curves, the table beside them, and the picture of a fault that passes.
class FaultsView : public QWidget
{
    Q_OBJECT
public:
    explicit FaultsView(QWidget* parent = nullptr);
    void show(std::shared_ptr<const proof::Proof> proof);
    void showMissed(const QImage& picture, const QString& what);
    QSize sizeHint() const override { return {300, 330}; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    std::shared_ptr<const proof::Proof> m_proof;
    QImage m_missed;
    QString m_what;
};

// Value ± uncertainty on the ladder of its limits.
class SureView : public QWidget
{
    Q_OBJECT
public:
    explicit SureView(QWidget* parent = nullptr);
    void show(std::shared_ptr<const proof::Proof> proof, double mostShare, base::Unit shownIn);
    QSize sizeHint() const override { return {276, 330}; }

protected:
    void paintEvent(QPaintEvent*) override;
    void wheelEvent(QWheelEvent*) override;

private:
    std::shared_ptr<const proof::Proof> m_proof;
    double m_most = 0.3;
    base::Unit m_shownIn = base::Unit::Millimetre;
    int m_from = 0;
};

} // namespace desktop
