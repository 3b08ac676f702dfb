// record_sheet.h - the item in view as it was logged: its picture with the marks of its own recipe, computed anew, and a
// title block; or inspected again with another recipe. A picture that is not there says why.
#pragma once
#include "desktop/sheet_canvas.h"
#include "records/again.h"

namespace desktop
{

// Everything known of one item.
struct SeenItem {
    long long id = 0;
    records::ItemRow row;
    std::vector<records::ValueRow> values;
    std::shared_ptr<const records::Again> own, again; // with the recipe it was logged with, and with another
    std::shared_ptr<const inspect::Prepared> ownRecipe, againRecipe;
    QString ownWhy, againWhy; // why there is none
};

class RecordSheet : public SheetCanvas
{
    Q_OBJECT
public:
    explicit RecordSheet(QWidget* parent = nullptr);
    void show(std::shared_ptr<const SeenItem> item, bool again);
    void setSelected(const std::string& step);
    QString hint() const; // said instead of a picture, or beside it
    QStringList titleBlock() const;
    bool showsMarks() const { return m_labels > 0; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    const records::Again* shown() const;
    void paintTitle(QPainter& p) const;
    std::shared_ptr<const SeenItem> m_item;
    bool m_again = false;
    std::string m_selected;
    std::size_t m_labels = 0;
};

} // namespace desktop
