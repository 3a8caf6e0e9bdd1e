package bargelane.client.run;

import bargelane.api.RunView;
import bargelane.client.Common;
import bargelane.client.Follow;
import bargelane.client.Waiting;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;

/** Stop a run and back it out. */
@Command(
    name = "stop",
    description = "Stop a run at its next safe place and back it out.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane run stop run-4k2m9x --wait"})
final class Stop extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "RUN", description = "Id.")
  String name;

  @Mixin Waiting waiting;

  @Override
  public Integer call() {
    RunView run = api().post("/runs/" + escape(name) + "/stop", null, RunView.class).value();
    if (!waiting.wait) {
      out().println(run.title() + " stops; follow it: bargelane run show " + name + " --wait");
      return 0;
    }
    Follow.print(api(), run, out(), err());
    RunView ended = api().get("/runs/" + escape(name), RunView.class).value();
    return ended.problem() != null && ended.problem().code().equals("stopped") ? 0 : 1;
  }
}
