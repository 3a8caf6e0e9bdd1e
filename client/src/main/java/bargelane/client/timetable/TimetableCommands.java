package bargelane.client.timetable;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Timetables: what replication must keep. */
@Command(
    name = "timetable",
    description = "Timetables: what replication must keep.",
    mixinStandardHelpOptions = true,
    subcommands = {ListTimetables.class, Add.class, Edit.class, Remove.class})
public final class TimetableCommands {}
