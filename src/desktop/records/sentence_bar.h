// sentence_bar.h - "Items of today · batch 2211-A · revision 4 · … · text": which items are looked at, each word a choice.
#pragma once
#include "desktop/records/records_model.h"

#include <QToolButton>

class QLabel;
class QLineEdit;
class QHBoxLayout;

namespace desktop
{

// A word with a dotted line under it; a press opens its choices.
class WordButton : public QToolButton
{
    Q_OBJECT
public:
    WordButton(const char* name, const QString& accessible, QWidget* parent);
    // `brushed`: a plate with a cross; a press takes it back.
    void say(const QString& word, bool narrows, bool brushed = false);
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override;

protected:
    void paintEvent(QPaintEvent*) override;

private:
    bool m_narrows = false, m_brushed = false;
};

class SentenceBar : public QWidget
{
    Q_OBJECT
public:
    SentenceBar(RecordsModel& model, QWidget* parent);
    QHBoxLayout* line() const { return m_line; } // exports stand at its end
    QString text() const;                        // the sentence as it is read
    // What the brush says: "14:02 – 14:16".
    QString brushText(const Sentence::Brush& brush) const;

private:
    void refresh();
    void fillMenu(QMenu& menu, const QString& word);
    void change(const std::function<void(Sentence&)>& edit);

    RecordsModel& m_model;
    QHBoxLayout *m_line, *m_plates;
    WordButton *m_time, *m_recipe, *m_batch, *m_revision, *m_station, *m_verdict, *m_check;
    QLineEdit* m_text;
    QLabel* m_count;
    std::vector<WordButton*> m_brushes;
};

// The parts of a sentence as words: "today", "batch 2211-A", … Only those that narrow.
QStringList narrowingWords(const Sentence& sentence);
QString verdictWord(records::ItemVerdict verdict);

} // namespace desktop
