package bargelane.client.wave;

import static bargelane.client.Output.*;

import bargelane.api.PassView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;

/** List passes, newest first. */
@Command(
    name = "passes",
    description = "List passes, newest first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane wave passes lending"})
final class Passes extends Common implements Callable<Integer>, Tabled {
  @Mixin OfWave wave;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list(wave.path("/passes"), PassView.class),
        "No passes yet.",
        number("NO", PassView::number),
        text("KIND", PassView::kind),
        text("STATE", PassView::state),
        time("AS OF", PassView::asOf),
        bytes("LOOKED AT", PassView::total),
        bytes("READ", PassView::read),
        bytes("SENT", PassView::sent),
        text("PROBLEM", PassView::problem));
    return 0;
  }
}
