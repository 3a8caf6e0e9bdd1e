package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.PassDay;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** How replication went, by day. */
@Command(
    name = "days",
    description = {
      "How replication went, by day (UTC), the newest first.",
      "EXPOSURE is the oldest that the newest recovery point became before the next one was recorded."
    },
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave days lending"})
final class Days extends Common implements Callable<Integer>, Tabled {
  @Mixin OfWave wave;

  @Option(
      names = "--size",
      paramLabel = "DAYS",
      defaultValue = "30",
      description = "At most so many, 1 to 500 (default: ${DEFAULT-VALUE}).")
  int size;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list(wave.path("/days?size=" + size), PassDay.class),
        "No passes yet.",
        text("DAY", PassDay::day),
        number("PASSES", PassDay::passes),
        number("FAILED", PassDay::failed),
        bytes("READ", PassDay::read),
        bytes("SENT", PassDay::sent),
        duration("PASS TIME", PassDay::seconds),
        duration("EXPOSURE", PassDay::longestExposureSeconds),
        duration("OVER RPO", PassDay::overRpoSeconds));
    return 0;
  }
}
