package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.WaveView;
import bargelane.client.Common;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Plan a wave. */
@Command(
    name = "add",
    description = "Plan a wave.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane wave add lending --lane mill-to-marsh --timetable brisk --machine lending-db=1 --machine lending-app=2"
    })
final class Add extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "WAVE", description = "Name to give it.")
  String name;

  @Option(names = "--lane", paramLabel = "LANE", required = true, description = "Lane it moves on.")
  String lane;

  @Option(
      names = "--timetable",
      paramLabel = "TIMETABLE",
      required = true,
      description = "Timetable of its replication.")
  String timetable;

  @Option(
      names = "--machine",
      required = true,
      paramLabel = "NAME=RANK",
      description = "Machine with its start order; may be repeated.")
  Map<String, Integer> machines;

  @Override
  public Integer call() {
    List<Map<String, Object>> members = new ArrayList<>();
    machines.forEach((m, rank) -> members.add(Map.of("machine", m, "rank", rank)));
    return WavePrinter.print(
        this,
        api()
            .post(
                "/waves",
                Map.of("name", name, "lane", lane, "timetable", timetable, "machines", members),
                WaveView.class));
  }
}
