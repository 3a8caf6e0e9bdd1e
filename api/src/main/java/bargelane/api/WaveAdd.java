package bargelane.api;

import java.util.List;

/** A wave to plan: one tow of machines on a lane under a timetable. */
public record WaveAdd(String name, String lane, String timetable, List<WaveMachine> machines) {}
