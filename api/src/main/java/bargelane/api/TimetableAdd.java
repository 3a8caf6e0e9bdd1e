package bargelane.api;

/** A timetable. Times are seconds. */
public record TimetableAdd(
    String name,
    int everySeconds,
    int rpoSeconds,
    int keepPoints,
    Boolean verify,
    Boolean quiesce) {}
