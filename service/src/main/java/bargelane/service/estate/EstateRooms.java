package bargelane.service.estate;

import bargelane.service.lane.Lanes;
import bargelane.service.machine.LabelRules;
import bargelane.service.machine.ScanSchedule;
import bargelane.service.plan.Waves;
import bargelane.service.replication.Timetables;
import bargelane.service.site.Sites;

/** The rooms that an estate file is about. */
public record EstateRooms(
    Sites sites,
    ScanSchedule schedules,
    Timetables timetables,
    LabelRules labels,
    Lanes lanes,
    Waves waves) {}
