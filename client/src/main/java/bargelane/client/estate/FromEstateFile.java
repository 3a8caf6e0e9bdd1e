package bargelane.client.estate;

import static bargelane.client.Output.*;

import bargelane.api.EstateImport;
import bargelane.api.EstateResult;
import bargelane.api.EstateResult.EstateChange;
import bargelane.api.EstateResult.EstateConflict;
import bargelane.api.EstateResult.EstateProblem;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Remedies;
import java.nio.file.Path;
import java.util.List;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** What compares an estate file with what stands, and tells it. */
abstract class FromEstateFile extends Common {

  /** Rows of a list that a person reads. */
  private static final int MOST = 200;

  @Parameters(index = "0", paramLabel = "FILE", description = "An estate file.")
  Path file;

  @Option(
      names = "--only",
      split = ",",
      paramLabel = "SECTION",
      description = "Only these of it: sites, timetables, labels, lanes, waves.")
  List<String> only = List.of();

  @Option(
      names = "--take",
      paramLabel = "SIDE",
      description =
          "What counts where both the file and somebody else have changed something: file or service.")
  String take;

  /** What the file says; one that no service reads is not sent. */
  String read() {
    if (file.toFile().length() > 4L * EstateImport.LONGEST) {
      throw new UsageException(
          file
              + " has "
              + Output.size(file.toFile().length())
              + ", and an estate file has at most "
              + EstateImport.LONGEST
              + " characters");
    }
    return textOf("", file);
  }

  EstateImport asked(String text, String state) {
    return new EstateImport(text, only, take, state);
  }

  /** Tells what an import comes to; gives whether it can be made. */
  boolean told(EstateResult r) {
    problems(r.problems());
    conflicts(r.conflicts());
    changes(r);
    if (!r.problems().isEmpty() || !r.conflicts().isEmpty()) {
      out().println("The file can't be imported as it is; nothing is stored.");
      return false;
    }
    return true;
  }

  private <T> List<T> first(List<T> all) {
    return all.subList(0, Math.min(all.size(), MOST));
  }

  private void rest(List<?> all) {
    if (all.size() > MOST) {
      out().println((all.size() - MOST) + " more; --output json has them all.");
    }
  }

  private void problems(List<EstateProblem> problems) {
    for (EstateProblem p : first(problems)) {
      out().println(file + ":" + p.line() + ":" + p.column() + ": " + plain(p.cause()));
      out().println("  Next: " + Remedies.text(p.remedy()));
    }
    rest(problems);
  }

  private void conflicts(List<EstateConflict> conflicts) {
    if (conflicts.isEmpty()) {
      return;
    }
    out().println("Changed both in the file and by somebody else since it was written:");
    rows(
        out(),
        Output.Form.table,
        first(conflicts),
        "",
        number("LINE", EstateConflict::line),
        text("WHAT", EstateConflict::path),
        text("WAS", c -> c.whole() ? "" : side(c, c.base())),
        text("IS NOW", c -> side(c, c.service())),
        text("IN THE FILE", c -> side(c, c.file())));
    rest(conflicts);
    out()
        .println(
            "Next:  edit the file, or say whose counts: --take file, or --take service for what is now.");
  }

  /** A value; of a thing that one side has removed, what became of it there. */
  private static String side(EstateConflict c, String value) {
    if (c.whole()) {
      return value == null ? "removed" : "changed";
    }
    return value == null ? "-" : value;
  }

  private void changes(EstateResult r) {
    if (!r.changes().isEmpty()) {
      rows(
          out(),
          Output.Form.table,
          first(r.changes()),
          "",
          number("LINE", EstateChange::line),
          text("WHAT", EstateChange::path),
          text("IS NOW", c -> c.before() == null ? "-" : c.before()),
          text("BECOMES", c -> c.after() == null ? "removed" : c.after()));
      rest(r.changes());
    }
    if (!r.kept().isEmpty()) {
      out().println("Changed by somebody else since, and left so:");
      rows(
          out(),
          Output.Form.table,
          first(r.kept()),
          "",
          text("WHAT", EstateChange::path),
          text("WAS", c -> c.before() == null ? "-" : c.before()),
          text("IS NOW", c -> c.after() == null ? "removed" : c.after()));
      rest(r.kept());
    }
    if (r.changes().isEmpty() && r.problems().isEmpty() && r.conflicts().isEmpty()) {
      out().println("The file changes nothing.");
    }
  }
}
