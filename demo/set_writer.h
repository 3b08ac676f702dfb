// set_writer.h - what the small demo sets share: pictures made in parallel, truth beside them, a recipe packed from
// plain JSON.
#pragma once
#include "demo/painted.h"
#include "demo/reed_plate.h"

#include <functional>
#include <nlohmann/json.hpp>

namespace demo
{

struct Made {
    image::Image picture; // none: heights alone
    std::optional<image::Image> heights{};
    std::vector<std::pair<std::string, image::Image>> lights{}; // further pictures: STEM-KEY.png
    std::vector<std::pair<std::string, image::Image>> tiles{};  // instead of `picture`: STEM_1_1.png by "1_1"
    nlohmann::json items = nlohmann::json::array();
    bool bad = false;
    std::string fault;
};
// Writes STEM-001.png …, reference.png, truth.json and SET.dikkat into a folder; trials are added to the recipe. Fails
// with Io.
struct SetNames {
    std::string set, stem;
};
// One made picture into a folder, as writeSet() does; `leaf` is its first picture's name.
base::Status writeMade(const std::string& folder, const Made& made, const std::string& leaf, bool heightsAlone = false);
base::Status writeSet(const std::string& folder, const SetNames& names, std::uint64_t seed, int count,
                      const Field& field, const Made& reference, nlohmann::json recipe,
                      const std::function<Made(int)>& make);

// Pieces of a recipe as JSON.
nlohmann::json recipeHead(const char* name, const Field& field);
nlohmann::json checkJson(const char* output, const char* name, int balloon, nlohmann::json limits);
nlohmann::json rectangleJson(geometry::Point c, double w, double h);
nlohmann::json ringJson(geometry::Point c, double inner, double outer);

} // namespace demo
