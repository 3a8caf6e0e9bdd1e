package bargelane.client.dossier;

import static bargelane.client.Output.*;

import bargelane.api.DossierView;
import bargelane.client.Common;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** List dossiers, newest first. */
@Command(
    name = "list",
    description = "List dossiers, newest first.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane dossier list"})
final class ListDossiers extends Common implements Callable<Integer>, Tabled {
  @Option(
      names = "--wave",
      paramLabel = "WAVE",
      defaultValue = "",
      description = "Only of this wave.")
  String wave;

  @Override
  public Integer call() {
    rows(
        out(),
        output,
        api().list("/dossiers?wave=" + escape(wave), DossierView.class),
        "No dossiers yet.",
        text("ID", DossierView::id),
        text("KIND", DossierView::kind),
        text("WAVE", DossierView::wave),
        time("AT", DossierView::at),
        text("RUN", DossierView::run));
    return 0;
  }
}
