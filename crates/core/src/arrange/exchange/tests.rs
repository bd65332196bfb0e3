use super::*;
use proptest::prelude::*;
use serde_json::{Value, json};

/// The example of the documentation, which is to be true.
const EXAMPLE: &str = include_str!("../../../../../docs/arrange-example.json");

fn example() -> Value {
    serde_json::from_str(EXAMPLE).expect("JSON")
}

fn answer(problem: &Value, costs: bool) -> Result<Value, String> {
    let file: ProblemFile = serde_json::from_value(problem.clone()).map_err(|e| e.to_string())?;
    let answer = file.read().and_then(|problem| problem.answer(costs)).map_err(|e| e.to_string())?;
    Ok(serde_json::to_value(answer).expect("JSON"))
}

#[test]
fn the_example_of_the_documentation() {
    let answer = answer(&example(), false).expect("an answer");
    assert_eq!(answer["missing"], json!([]));
    let text = serde_json::to_string_pretty(&answer).expect("JSON");
    insta::assert_snapshot!("example", text);
}

/// What anyone else would compute from the costs that are printed.
fn sum(answer: &Value) -> f64 {
    let selects = example()["selects"].as_array().expect("selects").clone();
    let at = |id: &Value| selects.iter().position(|s| s["id"] == *id).expect("a select");
    let chosen: Vec<usize> = answer["chosen"].as_array().expect("a row").iter().map(at).collect();
    let cost = |value: &Value| value.as_f64().expect("a cost");
    let places = chosen.iter().enumerate().map(|(place, s)| cost(&answer["place_cost"][place][*s])).sum::<f64>();
    places + chosen.windows(2).map(|pair| cost(&answer["join_cost"][pair[0]][pair[1]])).sum::<f64>()
}

#[test]
fn the_total_is_the_sum_of_the_costs_that_are_printed() {
    let answer = answer(&example(), true).expect("an answer");
    let total = answer["total"].as_f64().expect("a total");
    assert!((total - sum(&answer)).abs() < 1e-9, "{total}");
    assert!(answer["bound"].as_f64().expect("a bound") <= total + 1e-9);
    let of_shots: f64 = answer["shots"]
        .as_array()
        .expect("shots")
        .iter()
        .flat_map(|shot| shot["cost"].as_object().expect("parts").values().filter_map(Value::as_f64))
        .sum();
    assert!((total - of_shots).abs() < 1e-9, "the parts of all shots: {of_shots}");
}

#[test]
fn pins_and_orders_hold() {
    let free = answer(&example(), false).expect("an answer")["chosen"].clone();
    let (first, last) = (&free[0], &free[free.as_array().expect("a row").len() - 1]);
    let mut problem = example();
    // What stood last is to stand before what stood first, which is pinned to the middle.
    problem["order"] = json!([[last, first]]);
    problem["pins"] = json!([{ "place": 5, "select": first }]);
    let row = answer(&problem, true).expect("an answer")["chosen"].as_array().expect("a row").clone();
    let place = |s: &Value| row.iter().position(|chosen| chosen == s);
    assert_eq!(place(first), Some(5));
    assert!(place(last).is_none_or(|at| at < 5), "{row:?}");
}

#[test]
fn what_is_missing_is_named() {
    let mut problem = example();
    problem["places"][3]["len"] = json!(2400);
    problem["order"] = json!([]);
    problem["selects"].as_array_mut().expect("selects").truncate(8);
    let found = answer(&problem, false).expect("the best that can be done");
    let missing = found["missing"].as_array().expect("a list");
    assert_eq!(missing.len(), 4, "eight selects at most in twelve places, and none in one: {missing:?}");
    let long = missing.iter().find(|m| m["place"] == 3).expect("the long one");
    assert_eq!(long["why"], "no select is 100.1 s long, nor can be slowed to it");
    assert!(found["chosen"][3].is_null());
}

#[test]
fn what_does_not_hold_together_is_refused_in_words() {
    type Spoil = fn(&mut Value);
    let cases: [(Spoil, &str); 9] = [
        (|p| p["places"] = json!([]), "a problem has 1 to 2000 places and at most 2000 selects"),
        (|p| p["places"][1]["len"] = json!(0), "place 1 has no length"),
        (|p| p["selects"][1]["id"] = p["selects"][0]["id"].clone(), "two selects are called"),
        (|p| p["selects"][0]["out"] = json!("0/1"), "select “s01”: "),
        (|p| p["selects"][0]["media"] = json!("1/24"), "select “s01” ends after its media"),
        (|p| p["order"] = json!([["s01", "nobody"]]), "there is no select “nobody”"),
        (|p| p["pins"] = json!([{ "place": 12, "select": "s01" }]), "there is no place 12"),
        (|p| p["weights"] = json!({ "energy": -1 }), "a weight lies between 0 and 20"),
        (|p| p["weights"] = json!({ "enery": 1 }), "unknown field `enery`"),
    ];
    for (spoil, words) in cases {
        let mut problem = example();
        spoil(&mut problem);
        let said = answer(&problem, false).expect_err(words);
        assert!(said.contains(words), "{said}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(16))]

    /// Whatever the numbers, an answer or a sentence; and with the costs anyone finds the same total.
    #[test]
    fn extreme_numbers_are_answered(
        energy in prop_oneof![Just(-1e308), Just(1e308), Just(0.0), 0.0f64..100.0],
        len in prop_oneof![Just(0u64), Just(1), Just(u64::MAX), 1u64..200],
        step in prop_oneof![Just(0.0), Just(-1.0), Just(1e-300), Just(1e300), 0.01f64..1.0],
        at in any::<u64>(),
    ) {
        let mut problem = example();
        problem["places"][2]["energy"] = json!(energy);
        problem["places"][4]["len"] = json!(len);
        problem["places"][5]["marks"] = json!([{ "at": at, "bar": 1, "beat": 1 }]);
        problem["selects"][3]["energy"]["step"] = json!(step);
        if let Ok(answer) = answer(&problem, true) {
            prop_assert!(answer["total"].as_f64().is_some());
        }
    }
}
