package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.api.LeftoverRemoval;
import bargelane.api.LeftoverView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** List what services made at a site, or remove what no service keeps. */
@Command(
    name = "leftovers",
    description = {
      "List what services made at a site, or remove what no service keeps.",
      "What this service has recorded stays, and so do machines that run. Exit 1 if something could"
          + " not be removed."
    },
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane site leftovers saltmarsh",
      "  bargelane site leftovers saltmarsh --remove bl-pass-7k2m9q4trw --confirm saltmarsh",
      "  bargelane site leftovers saltmarsh --remove-of bargelane/in-x/tow-y --confirm saltmarsh"
    })
final class Leftovers extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
  String name;

  @Option(
      names = "--remove",
      paramLabel = "NAME",
      description = "Remove this thing; may be given again.")
  List<String> remove = List.of();

  @Option(
      names = "--remove-of",
      paramLabel = "OWNER",
      defaultValue = "",
      description = "Remove everything of this owner.")
  String owner;

  @Option(
      names = "--confirm",
      paramLabel = "SITE",
      defaultValue = "",
      description = "The name of the site, typed.")
  String confirm;

  @Override
  public Integer call() {
    String path = "/sites/" + escape(name) + "/leftovers";
    if (remove.isEmpty() && owner.isEmpty()) {
      rows(
          out(),
          output,
          api().list(path, LeftoverView.class),
          "Nothing of ours is there.",
          text("KIND", LeftoverView::kind),
          text("NAME", LeftoverView::name),
          text("OWNER", LeftoverView::owner),
          text("RECORDED", LeftoverView::recorded));
      return 0;
    }
    Answer<List<LeftoverRemoval>> removed =
        api()
            .postForList(
                path + "/removal",
                Map.of("confirm", confirm, "names", remove, "owner", owner),
                LeftoverRemoval.class);
    rows(
        out(),
        output,
        removed,
        "Nothing was removed.",
        text("KIND", LeftoverRemoval::kind),
        text("NAME", LeftoverRemoval::name),
        text("REMOVED", r -> r.problem().isEmpty()),
        text("PROBLEM", LeftoverRemoval::problem));
    return removed.value().stream().allMatch(r -> r.problem().isEmpty()) ? 0 : 1;
  }
}
