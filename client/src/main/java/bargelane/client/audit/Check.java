package bargelane.client.audit;

import bargelane.api.AuditCheck;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** Check that no entry was changed or taken out. */
@Command(
    name = "check",
    description = {
      "Check that no entry was changed or taken out; 1 if one was.",
      "Keep the digest elsewhere: with --digest it shows later that nothing up to it has changed."
    },
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane audit check"})
final class Check extends Common implements Callable<Integer> {

  @Option(
      names = "--digest",
      paramLabel = "DIGEST",
      description = "A digest that an earlier check printed: an entry must have it.")
  String digest;

  @Override
  public Integer call() {
    Answer<AuditCheck> found = api().get("/audit/check", AuditCheck.class);
    AuditCheck check = found.value();
    boolean known = digest == null || digest.equals(check.digest()) || Export.has(api(), digest);
    if (output == Output.Form.json) {
      Output.json(out(), found.json());
    } else if (check.broken().isEmpty()) {
      out()
          .println(
              check.entries()
                  + " entries, all as they were written."
                  + (check.gone() == 0
                      ? ""
                      : " The "
                          + check.gone()
                          + " before them are gone, since they were older than entries are kept."));
      out().println("Digest: " + check.digest());
    } else {
      err().println("Error: " + check.broken() + "; the " + check.entries() + " before are sound");
    }
    if (!known) {
      err().println("Error: no entry has the digest " + digest);
    }
    return check.broken().isEmpty() && known ? 0 : 1;
  }
}
