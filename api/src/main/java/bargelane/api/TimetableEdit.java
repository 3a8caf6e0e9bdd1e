package bargelane.api;

/** What is changed of a timetable; what is null stays. Times are seconds. */
public record TimetableEdit(
    Integer everySeconds,
    Integer rpoSeconds,
    Integer keepPoints,
    Boolean verify,
    Boolean quiesce) {}
