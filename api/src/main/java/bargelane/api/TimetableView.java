package bargelane.api;

/** A timetable. Times are seconds. */
public record TimetableView(
    String id,
    String name,
    int everySeconds,
    int rpoSeconds,
    int keepPoints,
    boolean verify,
    boolean quiesce) {}
