package bargelane.client.tug;

import static bargelane.client.Output.*;

import bargelane.api.TugView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;

/** List the tugs, their versions and what they have in hand. */
@Command(
    name = "list",
    description = "List the tugs, their versions and what they have in hand.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane tug list"})
final class ListTugs extends Common implements Callable<Integer>, Tabled {
  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/tugs", TugView.class),
        "No tug has asked for work yet.",
        text("TUG", TugView::name),
        text("VERSION", TugView::version),
        time("ASKED FOR WORK", TugView::heardAt),
        number("PASSES AT WORK", TugView::passes));
    return 0;
  }
}
