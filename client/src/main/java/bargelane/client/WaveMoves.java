package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

/** The verbs that begin work on a wave. */
final class WaveMoves {

  private WaveMoves() {}

  @Command(
      name = "load",
      description = "Begin replication.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave load lending --wait"})
  static final class Load extends Common implements Callable<Integer> {
    @Mixin OfWave wave;
    @Mixin Waiting waiting;

    @Override
    public Integer call() {
      JsonNode run = api().post(wave.path("/load"), null);
      return started(run, waiting.wait);
    }
  }

  @Command(
      name = "test",
      description = "Test cutover in an isolated network, from the newest or a chosen point.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave test lending --wait"})
  static final class Test extends Common implements Callable<Integer> {
    @Mixin OfWave wave;
    @Mixin Waiting waiting;

    @Option(names = "--point", defaultValue = "", description = "Number of a recovery point.")
    String point;

    @Option(names = "--hold", description = "Keep it until bargelane run finish.")
    boolean hold;

    @Override
    public Integer call() {
      JsonNode run = api().post(wave.path("/test"), Map.of("point", point, "hold", hold));
      return started(run, waiting.wait);
    }
  }

  @Command(
      name = "cutover",
      description = "Move the machines to the target.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave cutover lending --confirm lending --wait"})
  static final class Cutover extends Common implements Callable<Integer> {
    @Mixin OfWave wave;
    @Mixin Waiting waiting;
    @Mixin Confirming confirming;

    @Option(
        names = "--override",
        defaultValue = "",
        paramLabel = "WHY",
        description = "Pass over shut gates, for this recorded reason.")
    String override;

    @Override
    public Integer call() {
      String typed = confirming.ask(this, wave.name);
      JsonNode run =
          api().post(wave.path("/cutover"), Map.of("confirm", typed, "override", override));
      return started(run, waiting.wait);
    }
  }

  @Command(
      name = "failback",
      description = "Bring the machines back.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave failback lending --confirm lending --wait"})
  static final class Failback extends Common implements Callable<Integer> {
    @Mixin OfWave wave;
    @Mixin Waiting waiting;
    @Mixin Confirming confirming;

    @Option(
        names = "--override",
        defaultValue = "",
        paramLabel = "WHY",
        description = "Pass over shut gates, for this recorded reason.")
    String override;

    @Override
    public Integer call() {
      String typed = confirming.ask(this, wave.name);
      JsonNode run =
          api().post(wave.path("/failback"), Map.of("confirm", typed, "override", override));
      return started(run, waiting.wait);
    }
  }

  @Command(
      name = "failover",
      description = "Start a recovery point when the source is lost.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane wave failover lending --source-lost --confirm lending --wait"
      })
  static final class Failover extends Common implements Callable<Integer> {
    @Mixin OfWave wave;
    @Mixin Waiting waiting;
    @Mixin Confirming confirming;

    @Option(
        names = "--point",
        defaultValue = "",
        description = "Number of an older recovery point.")
    String point;

    @Option(
        names = "--source-lost",
        description = "Declare the source lost where it can not be reached.")
    boolean lost;

    @Override
    public Integer call() {
      String typed = confirming.ask(this, wave.name);
      JsonNode run =
          api()
              .post(
                  wave.path("/failover"),
                  Map.of("confirm", typed, "point", point, "sourceLost", lost));
      return started(run, waiting.wait);
    }
  }

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
  static final class Reconcile extends Common implements Callable<Integer> {
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
      JsonNode run = api().post(wave.path("/reconcile"), Map.of("keep", keep, "confirm", typed));
      return started(run, waiting.wait);
    }
  }

  @Command(
      name = "undo",
      description = "Take the last cutover or failback back.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave undo lending --confirm lending --wait"})
  static final class Undo extends Common implements Callable<Integer> {
    @Mixin OfWave wave;
    @Mixin Waiting waiting;
    @Mixin Confirming confirming;

    @Override
    public Integer call() {
      String typed = confirming.ask(this, wave.name);
      JsonNode run = api().post(wave.path("/undo"), Map.of("confirm", typed));
      return started(run, waiting.wait);
    }
  }

  @Command(
      name = "settle",
      description = "Close the move and remove everything of ours.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane wave settle lending --confirm lending --wait"})
  static final class Settle extends Common implements Callable<Integer> {
    @Mixin OfWave wave;
    @Mixin Waiting waiting;
    @Mixin Confirming confirming;

    @Override
    public Integer call() {
      String typed = confirming.ask(this, wave.name);
      JsonNode run = api().post(wave.path("/settle"), Map.of("confirm", typed));
      return started(run, waiting.wait);
    }
  }
}
