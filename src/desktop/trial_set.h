// trial_set.h - what the trials answer: the one owner of their results and of the threads that work them out.
//
// Promise  result() is of the recipe last given to follow(), or null; earlier() may be of one before. The picture named
//          first is answered first. Answers that come too late for a newer recipe are dropped.
#pragma once
#include "inspect/trials.h"

#include <QObject>
#include <QTimer>

namespace desktop
{

class TrialSet : public QObject
{
    Q_OBJECT
public:
    explicit TrialSet(QObject* parent = nullptr);
    ~TrialSet() override;
    const std::shared_ptr<inspect::CaptureCache>& cache() const { return m_cache; }

    void clear();
    // A recipe is on its way: nothing answered before counts until follow().
    void wait(const std::vector<recipe::Trial>& trials);
    // Answers that hold are judged anew at once, the others are worked out; with `onlyFirst` the picture named first
    // alone, the rest when nothing new comes for a moment.
    void follow(std::shared_ptr<const inspect::Prepared> prepared, const std::string& first, bool onlyFirst);
    void resume(); // the rest at once, when it waits
    const inspect::PictureResult* result(const std::string& picture) const;
    const inspect::PictureResult* earlier(const std::string& picture) const;
    bool answered() const { return m_stale.empty(); }
    // Pictures whose files were written since they were inspected; their answers are forgotten.
    std::vector<std::string> writtenSince();

signals:
    void arrived(const std::string& picture);

private:
    void received(int generation, inspect::PictureResult result);
    void runTheRest();
    bool holds(const std::string& picture) const; // its answer is this recipe's

    std::shared_ptr<inspect::CaptureCache> m_cache;
    std::shared_ptr<const inspect::Prepared> m_prepared;
    int m_generation = 0;
    std::string m_first;
    std::map<std::string, inspect::PictureResult> m_results;
    std::map<std::string, std::string> m_stamps; // of the files that gave the results
    std::set<std::string> m_stale;               // pictures whose result is an earlier recipe's
    QTimer m_rest;
    std::unique_ptr<inspect::TrialRunner> m_runner; // last: its threads end first
};

} // namespace desktop
