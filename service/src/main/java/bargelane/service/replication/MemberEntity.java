package bargelane.service.replication;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A machine in a tow, with its berth on either side. */
@Entity
@DynamicUpdate
@Table(name = "member")
public class MemberEntity {

  @Id public String id;

  @Column(name = "tow_id")
  public String towId;

  @Column(name = "machine_id")
  public String machineId;

  public String name;

  public int rank;

  public String size;

  @Column(name = "size_basis")
  public String sizeBasis;

  @JdbcTypeCode(SqlTypes.JSON)
  public String home;

  @JdbcTypeCode(SqlTypes.JSON)
  public String away;

  @JdbcTypeCode(SqlTypes.JSON)
  public String test;

  @Column(name = "refit_plan")
  @JdbcTypeCode(SqlTypes.JSON)
  public String refitPlan;

  @Column(name = "refit_made")
  @JdbcTypeCode(SqlTypes.JSON)
  public String refitMade;

  @Column(name = "refit_word")
  public String refitWord = "";

  /** What a refit adds to it besides what it needs: names of offers. */
  @Column(name = "refit_offers")
  @JdbcTypeCode(SqlTypes.JSON)
  public String refitOffers = "[]";

  /** How it is seen that it does its work; null for what is usual. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String probe;

  /** Disks by which it differs from what passes copy; see {@link DifferingDisk}. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String differing = "[]";

  public boolean open;
}
