package bargelane.client;

import static bargelane.client.Output.*;

import bargelane.api.ChangeView;
import bargelane.api.Page;
import java.util.concurrent.Callable;
import picocli.CommandLine.Option;

/** What scans found different, of a site or of a machine. */
public abstract class ChangesCommand extends Common implements Callable<Integer> {

  @Option(names = "--page", paramLabel = "N", defaultValue = "0", description = "Page, from 0.")
  int page;

  @Option(
      names = "--size",
      paramLabel = "N",
      defaultValue = "50",
      description = "Rows a page, up to 500.")
  int size;

  protected abstract String path();

  @Override
  public Integer call() {
    Answer<Page<ChangeView>> found =
        api().page(path() + "/changes?page=" + page + "&size=" + size, ChangeView.class);
    rows(
        out(),
        output,
        found.part("items", Page::items),
        "No scan found anything different.",
        time("FOUND", ChangeView::at),
        text("MACHINE", ChangeView::machine),
        text("ID", ChangeView::machineId),
        text("WHAT", ChangeView::kind),
        text("FACT", ChangeView::fact),
        text("BEFORE", ChangeView::former),
        text("NOW", ChangeView::present));
    more(found.value(), page, size);
    return 0;
  }
}
