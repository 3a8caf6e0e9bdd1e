package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.SettingView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

/** List what can be decided on a lane and what its target takes. */
@Command(
    name = "settings",
    description = "List what can be decided on a lane, for whom, and what its target takes.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane lane settings mill-to-marsh"})
final class Settings extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/lanes/" + escape(name) + "/settings", SettingView.class),
        "Nothing can be decided.",
        text("SETTING", SettingView::setting),
        text("FOR", s -> join(s.scopes(), ", ")),
        text("VALUE", s -> s.values().isEmpty() ? s.form() : join(s.values(), ", ")));
    return 0;
  }
}
