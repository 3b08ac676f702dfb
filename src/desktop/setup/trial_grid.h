// trial_grid.h - the grid of Set up: rows are the recipe's steps under their datums, columns the trials or their parts.
#pragma once
#include "desktop/grid_view.h"
#include "desktop/session.h"
#include "desktop/trial_crops.h"

namespace desktop
{

// The grid's view of the session.
class TrialGrid : public GridSource
{
public:
    explicit TrialGrid(Session& session) : m_session(session), m_crops(session) {}
    void rebuild();
    void toggleFold(int row);
    int rowOf(const std::string& step, const std::string& output = {}, int element = -1) const;
    int rows() const override { return int(m_rows.size()); }
    int columns() const override { return int(m_columns.size()); }
    GridRow row(int r) const override { return m_rows[std::size_t(r)]; }
    GridColumn column(int c) const override;
    GridCell cell(int r, int c) const override;
    QString verdictLine() const override;
    QString emptyHint() const override;
    bool onlyFailed() const { return m_onlyFailed; }
    void setUncertainty(bool on) { m_uncertainty = on; } // values with what is known of their own
    void setOnlyFailed(bool on) { m_onlyFailed = on, rebuild(); }
    QString columnWord(int c) const override;
    std::vector<GridSpot> spots(int r, int c) const override;
    QImage crop(int r, int c) const override;
    QImage whole(int c) const override { return m_crops.whole(place(c).trial); }
    TrialCrops& crops() { return m_crops; }
    recipe::Label labelOf(int c) const; // of the picture, or of the part the column stands for
    // What a column stands for: a picture, or one part of it.
    struct Column {
        int trial = 0, item = -1;
        bool lost = false, begins = true, bracket = false;
    };
    const Column& place(int c) const { return m_columns[std::size_t(c)]; }
    int columnOf(int trial, int item) const; // -1: it is filtered away
    bool itemsUnfolded() const { return m_items; }
    void unfoldItems(bool on) { m_items = on, rebuild(); }
    enum class Order { Taken, Label, Verdict, Name, Share };
    enum class Show { All, Failed, Disagreeing };
    Order order() const { return m_order; }
    Show show() const { return m_show; }
    void setOrder(Order order) { m_order = order, rebuild(); }
    void setShow(Show show) { m_show = show, rebuild(); }

private:
    void addGroup(const recipe::Recipe& recipe, const std::string& datum);
    void addTree(const recipe::Recipe& recipe, const std::string& datum, int depth);
    void addFixed(const recipe::Recipe& recipe);
    void addMap(const recipe::Step& step, const recipe::Check& check, std::vector<GridRow>& to) const;
    void bracketed();
    Session& m_session;
    mutable TrialCrops m_crops;
    std::vector<GridRow> m_rows;
    std::map<int, std::vector<std::string>> m_features; // features line → its steps
    std::set<std::string> m_unfolded;                   // datum ids, and step.output of lists
    void placeColumns();
    std::vector<Column> m_columns;
    bool m_onlyFailed = false, m_items = false;
    bool m_uncertainty = false;
    Order m_order = Order::Taken;
    Show m_show = Show::All;
};

} // namespace desktop
