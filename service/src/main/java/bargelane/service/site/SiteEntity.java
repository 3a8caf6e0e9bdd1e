package bargelane.service.site;

import bargelane.core.site.SiteKind;
import jakarta.persistence.Column;
import jakarta.persistence.Convert;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A site, with what its last check and scan found. */
@Entity
@DynamicUpdate
@Table(name = "site")
public class SiteEntity {

  @Id public String id;

  public String name;

  @Convert(converter = SiteWords.OfKind.class)
  public SiteKind kind;

  public String address;

  @Column(name = "created_at")
  public Instant createdAt;

  @Column(name = "checked_at")
  public Instant checkedAt;

  @Column(name = "scanned_at")
  public Instant scannedAt;

  /** When it is scanned by itself: a cron expression, empty for never. */
  public String schedule = "";

  /** Up to when the samples of use that the site keeps were read. */
  @Column(name = "usage_until")
  public Instant usageUntil;

  /** Up to when the connections that the site saw were read. */
  @Column(name = "connections_until")
  public Instant connectionsUntil;

  @JdbcTypeCode(SqlTypes.JSON)
  public String findings;

  @JdbcTypeCode(SqlTypes.JSON)
  public String capabilities;

  @JdbcTypeCode(SqlTypes.JSON)
  public String zones;

  /** None until its inventory was read. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String quota;

  /** What it takes and refuses of machines; none until its inventory was read by this version. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String offers;

  /** Volumes that a storage system fills; none if the last scan told of none. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String carried;

  /** Keeps the address with what was chosen there at first, and not what comes later. */
  public void settle(String settled) {
    if (settled.startsWith(address)) {
      address = settled;
    }
  }
}
