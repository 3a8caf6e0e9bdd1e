package bargelane.client.timetable;

import static bargelane.client.Output.*;

import bargelane.api.TimetableView;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List timetables. */
@Command(
    name = "list",
    description = "List timetables.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane timetable list"})
final class ListTimetables extends Common implements Callable<Integer>, Tabled {

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/timetables", TimetableView.class),
        "No timetables yet.",
        text("NAME", TimetableView::name),
        text("EVERY", t -> Output.seconds(t.everySeconds())),
        text("RPO", t -> Output.seconds(t.rpoSeconds())),
        number("POINTS KEPT", TimetableView::keepPoints),
        text("VERIFIED", TimetableView::verify),
        text("QUIESCED", TimetableView::quiesce));
    return 0;
  }
}
