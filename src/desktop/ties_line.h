// ties_line.h - one line of words of which some are links: painted by itself, so that new words move nothing around it.
#pragma once
#include <QWidget>
#include <vector>

namespace desktop
{

class TiesLine : public QWidget
{
    Q_OBJECT
public:
    struct Word {
        QString text, to; // to: "" when it is no link
    };
    explicit TiesLine(QWidget* parent = nullptr);
    void setWords(std::vector<Word> words);
    const std::vector<Word>& words() const { return m_words; }
    QString text() const;
    QSize sizeHint() const override { return {100, 18}; }

signals:
    void activated(const QString& to);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool event(QEvent*) override;

private:
    std::vector<QRect> places() const; // of the words; empty where they no longer fit
    int linkAt(QPoint at) const;
    void walk(int step);

    std::vector<Word> m_words;
    int m_chosen = -1; // the link that Enter follows
};

} // namespace desktop
