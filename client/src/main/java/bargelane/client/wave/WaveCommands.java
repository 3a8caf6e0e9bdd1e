package bargelane.client.wave;

import static bargelane.client.Output.*;

import picocli.CommandLine.Command;

/** Waves: machines that move on one evening. */
@Command(
    name = "wave",
    description = "Waves: machines that move on one evening.",
    mixinStandardHelpOptions = true,
    subcommands = {
      ListWaves.class,
      Show.class,
      Add.class,
      Size.class,
      Load.class,
      Refit.class,
      Probe.class,
      Test.class,
      Cutover.class,
      Failback.class,
      Failover.class,
      Reconcile.class,
      Undo.class,
      Settle.class,
      Pass.class,
      Passes.class,
      Days.class,
      Scrub.class,
      Pause.class,
      Resume.class,
      DeclareLost.class,
      Remove.class
    })
public final class WaveCommands {

  private WaveCommands() {}
}
