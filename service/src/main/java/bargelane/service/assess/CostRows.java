package bargelane.service.assess;

import bargelane.api.AssessmentView;
import bargelane.core.assess.Basis;
import bargelane.core.assess.CostLine;
import bargelane.core.assess.Sized;
import bargelane.service.platform.CsvTable;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import java.io.IOException;
import java.io.StringWriter;
import java.io.UncheckedIOException;
import java.math.BigDecimal;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.time.YearMonth;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Locale;
import org.apache.commons.csv.CSVFormat;
import org.apache.commons.csv.CSVPrinter;

/**
 * Every line of cost of a revision as CSV (RFC 4180): in columns of our own, or in those of the
 * FinOps Open Cost and Usage Specification (FOCUS 1.0, "Columns"), as the month that follows the
 * revision would be billed.
 */
public final class CostRows {

  private static final List<String> OWN =
      List.of(
          "machine",
          "machine_id",
          "basis",
          "kind",
          "what",
          "of",
          "quantity",
          "unit",
          "price",
          "discount_percent",
          "monthly",
          "horizon",
          "currency",
          "source");
  private static final List<String> FOCUS =
      List.of(
          "BillingAccountId",
          "BillingAccountName",
          "BillingCurrency",
          "BillingPeriodStart",
          "BillingPeriodEnd",
          "ChargePeriodStart",
          "ChargePeriodEnd",
          "ChargeCategory",
          "ChargeClass",
          "ChargeDescription",
          "ChargeFrequency",
          "PricingCategory",
          "PricingQuantity",
          "PricingUnit",
          "ConsumedQuantity",
          "ConsumedUnit",
          "ListUnitPrice",
          "ContractedUnitPrice",
          "ListCost",
          "ContractedCost",
          "EffectiveCost",
          "BilledCost",
          "ProviderName",
          "PublisherName",
          "InvoiceIssuerName",
          "RegionId",
          "ResourceId",
          "ResourceName",
          "ResourceType",
          "ServiceCategory",
          "ServiceName",
          "SkuId",
          "CommitmentDiscountType");

  private final Db db;

  public CostRows(Db db) {
    this.db = db;
  }

  /**
   * @param form {@code own} or {@code focus}
   */
  public String csv(String ref, int number, String basis, String form) {
    Basis of = Assumed.basis(basis);
    if (!form.equals("own") && !form.equals("focus")) {
      throw ProblemException.invalid(
          "form-unknown", "there is no form '" + form + "'", "ask for own or focus");
    }
    return db.tx(
        s -> {
          AssessmentView view = AssessmentViews.view(s, AssessmentViews.find(s, ref), number);
          return s.doReturningWork(
              c -> {
                StringWriter out = new StringWriter();
                try (CSVPrinter csv = new CSVPrinter(out, CSVFormat.RFC4180);
                    PreparedStatement select =
                        c.prepareStatement(
                            "select machine_id, body from assessed_machine where assessment_id = ? and revision = ?"
                                + " order by name, machine_id")) {
                  csv.printRecord(form.equals("own") ? OWN : FOCUS);
                  select.setString(1, view.id());
                  select.setInt(2, view.revision());
                  select.setFetchSize(500);
                  try (ResultSet r = select.executeQuery()) {
                    while (r.next()) {
                      Stored stored = Json.read(r.getString(2), Stored.class);
                      Sized sized = of == Basis.OBSERVED ? stored.observed() : stored.configured();
                      if (sized.monthly().isEmpty()) {
                        continue;
                      }
                      for (CostLine line : sized.lines()) {
                        csv.printRecord(
                            (form.equals("own")
                                    ? own(view, r.getString(1), stored, of, line)
                                    : focus(view, r.getString(1), stored, line))
                                .stream().map(CsvTable::cell).toList());
                      }
                    }
                  }
                } catch (IOException e) {
                  throw new UncheckedIOException(e);
                }
                return out.toString();
              });
        });
  }

  private static List<Object> own(
      AssessmentView view, String id, Stored machine, Basis basis, CostLine l) {
    return List.of(
        machine.facts().name(),
        id,
        basis.text(),
        l.kind().text(),
        l.what(),
        l.of(),
        l.quantity().toPlainString(),
        l.unit(),
        l.price().toPlainString(),
        l.discountPercent().toPlainString(),
        l.monthly().toPlainString(),
        l.horizon().toPlainString(),
        view.currency(),
        view.prices());
  }

  private static List<Object> focus(AssessmentView view, String id, Stored machine, CostLine l) {
    YearMonth month = YearMonth.from(view.at().atZone(ZoneOffset.UTC)).plusMonths(1);
    String from = month.atDay(1).atStartOfDay(ZoneOffset.UTC).toInstant().toString();
    String to = month.plusMonths(1).atDay(1).atStartOfDay(ZoneOffset.UTC).toInstant().toString();
    BigDecimal share = BigDecimal.ONE.subtract(l.discountPercent().movePointLeft(2));
    String target = view.target().isEmpty() ? view.book() : view.target();
    boolean committed =
        l.kind() == CostLine.Kind.COMPUTE && !view.assumptions().commitment().equals("none");
    BigDecimal list = l.quantity().multiply(l.price());
    return List.of(
        view.id(),
        view.name(),
        view.currency(),
        from,
        to,
        from,
        to,
        "Usage",
        "",
        l.what() + (l.of().isEmpty() ? "" : " for " + l.of()),
        "Usage-Based",
        committed ? "Committed" : "Standard",
        plain(l.quantity()),
        l.unit(),
        plain(l.quantity()),
        l.unit(),
        plain(l.price()),
        plain(l.price().multiply(share)),
        plain(list),
        plain(list.multiply(share)),
        l.monthly().toPlainString(),
        l.monthly().toPlainString(),
        target,
        target,
        target,
        view.assumptions().zone(),
        id,
        machine.facts().name(),
        "Virtual Machine",
        category(l.kind()),
        l.kind().text(),
        l.kind().text().toUpperCase(Locale.ROOT) + ":" + l.what(),
        committed ? view.assumptions().commitment() : "");
  }

  private static String plain(BigDecimal n) {
    return n.stripTrailingZeros().toPlainString();
  }

  /** As FOCUS groups services (column ServiceCategory). */
  private static String category(CostLine.Kind kind) {
    return switch (kind) {
      case COMPUTE -> "Compute";
      case STORAGE, OPERATIONS, THROUGHPUT -> "Storage";
      case ADDRESS, TRAFFIC -> "Networking";
      default -> "Other";
    };
  }
}
