// demo_set_support.h - a demo set inspected end to end: its truth, its recipe, every picture's result.
#pragma once
#include "support.h"

#include <nlohmann/json.hpp>

namespace support
{

struct InspectedSet {
    nlohmann::json truth;
    recipe::Recipe recipe;
    std::vector<inspect::PictureResult> results;
};
inline InspectedSet inspected(const QTemporaryDir& dir, const char* name)
{
    const std::string folder = dir.path().toStdString();
    InspectedSet s;
    QFile f(dir.filePath("truth.json"));
    if (!f.open(QIODevice::ReadOnly)) qFatal("no truth");
    s.truth = nlohmann::json::parse(f.readAll().toStdString());
    s.recipe = *recipe::load(folder + "/" + name + ".dikkat");
    const auto prepared = inspect::Prepared::make(s.recipe);
    for (const auto& p : s.truth["pictures"])
        s.results.push_back(inspect::evaluate(
            *prepared, *image::loadCapture(folder + "/" + p["picture"].get<std::string>(), s.recipe.pictures)));
    return s;
}
inline const inspect::CheckResult* checkOf(const inspect::ItemResult& item, const char* name)
{
    for (const auto& c : item.checks)
        if (c.name == name) return &c;
    return nullptr;
}

} // namespace support
