// result.h - what can go wrong in the field is a Result, never an exception; a broken promise is an assert.
//
// Output  Result<T> holds a value or an Error. The message names the value and the bound it broke; whoever
//         detects the error writes it, whoever passes it on adds `where` with within().
#pragma once
#include <string>
#include <tl/expected.hpp>

namespace base
{

// Absent: what was asked for is not there, and that is the answer (a fault of the part, not of the picture or the
// recipe).
enum class ErrorCode { InvalidArgument, OutOfRange, NotFound, Io, Corrupt, Unsupported, NoResult, Cancelled, Absent };

struct Error {
    ErrorCode code = ErrorCode::InvalidArgument;
    std::string message;
    std::string where; // outermost first: "recipe.json: steps[2]: params"

    // "where: message", or the message alone.
    std::string text() const { return where.empty() ? message : where + ": " + message; }
    Error within(const std::string& outer) &&
    {
        where = where.empty() ? outer : outer + ": " + where;
        return std::move(*this);
    }
};

template <class T> using Result = tl::expected<T, Error>;
using Status = Result<void>;

inline tl::unexpected<Error> fail(ErrorCode code, std::string message, std::string where = {})
{
    return tl::unexpected<Error>(Error{code, std::move(message), std::move(where)});
}
// Passes an error on with the place it happened in.
inline tl::unexpected<Error> passOn(Error error, const std::string& where = {})
{
    if (!where.empty()) return tl::unexpected<Error>(std::move(error).within(where));
    return tl::unexpected<Error>(std::move(error));
}

} // namespace base
