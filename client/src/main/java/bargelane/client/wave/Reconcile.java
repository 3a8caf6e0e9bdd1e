package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.RunView;
import bargelane.client.Common;
import bargelane.client.Waiting;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** After a failover: fence the side that came back, show how the sides differ, keep one. */
@Command(
    name = "reconcile",
    description =
        "After a failover: fence the side that came back, show how the sides differ, keep one.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane wave reconcile lending --keep saltmarsh --confirm lending --wait"
    })
final class Reconcile extends Common implements Callable<Integer> {
  @Mixin OfWave wave;
  @Mixin Waiting waiting;
  @Mixin Confirming confirming;

  @Option(
      names = "--keep",
      defaultValue = "",
      paramLabel = "SITE",
      description = "Site whose machines run on; without it the divergence is only measured.")
  String keep;

  @Override
  public Integer call() {
    String typed = keep.isEmpty() ? "" : confirming.ask(this, wave.name);
    return started(
        api().post(wave.path("/reconcile"), Map.of("keep", keep, "confirm", typed), RunView.class),
        waiting.wait);
  }
}
